#!/usr/bin/env node
// The headless runner. Started from its bundle, which is made when it is not there, or where the sources have changed.
import { pathToFileURL } from 'node:url';
import { bundledRunner } from './bundle-runner.mjs';

await import(pathToFileURL(await bundledRunner()).href);
