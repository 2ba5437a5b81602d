/** Publishes the schemas of documents that people keep: docs/*.schema.json, made from what reads them. */
import { jobFileSchema } from '@/core/job';
import { writeFileSync } from 'node:fs';
import { z } from 'zod';

const schema = z.toJSONSchema(jobFileSchema, { io: 'input' });
writeFileSync('docs/job.schema.json', `${JSON.stringify(schema, null, 2)}\n`);
