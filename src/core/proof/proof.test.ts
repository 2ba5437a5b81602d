import { SparseDevice } from '@/core/device';
import { fillRandomly, makeVolume, manifestOf, openVolume, write } from '@/core/fs/fixtures/volumes';
import { seededRandom } from '@/core/practice';
import { createHash } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { certify, compareManifests, portableHasher, takeManifest, type HasherFactory, type ManifestEntry } from '.';
import { quickDigest, quickHasher } from './fixtures/quick-hasher';

const MIB = 1024 * 1024;

const entry = (path: string, more: Partial<ManifestEntry> = {}): ManifestEntry => ({
  path,
  kind: 'file',
  size: 3,
  times: { modified: '2024-01-01T00:00:00' },
  attributes: ['archive'],
  sha256: 'aa',
  method: 'bytes',
  ...more,
});

describe('a comparison', () => {
  it.each<[string, Partial<ManifestEntry>]>([
    ['content', { sha256: 'bb' }],
    ['size', { size: 4 }],
    ['times', { times: { modified: '2024-01-01T00:00:02' } }],
    ['attributes', { attributes: [] }],
    ['kind', { kind: 'folder' }],
  ])('sees a change of %s', (what, change) => {
    expect(compareManifests([entry('a')], [entry('a', change)])).toMatchObject({
      differing: 1,
      differences: [{ path: 'a', what }],
    });
  });

  it('sees what is missing and what was added, and does not mind the order', () => {
    expect(compareManifests([entry('a'), entry('b')], [entry('b'), entry('a')])).toMatchObject({
      differing: 0,
      identical: 2,
      files: 2,
    });
    const { differences } = compareManifests([entry('a'), entry('b')], [entry('b'), entry('c')]);
    expect(differences).toEqual([
      { path: 'a', what: 'missing' },
      { path: 'c', what: 'added' },
    ]);
  });

  it('tells two entries of one path apart', () => {
    expect(compareManifests([entry('a'), entry('a', { sha256: 'bb' })], [entry('a')])).toMatchObject({ differing: 1 });
  });
});

describe('a manifest', () => {
  it('hashes by source where it can and says so; by bytes it is the same file by file', async () => {
    const device = await makeVolume({ kind: 'fat16', size: 24 * 1024 * 1024 });
    await fillRandomly('fat16', device, 21);
    const bySource: ManifestEntry[] = [];
    for await (const e of takeManifest(await openVolume('fat16', device), device)) bySource.push(e);
    const byBytes = await manifestOf('fat16', device, true);
    expect(bySource.filter((e) => e.method === 'source').length).toBeGreaterThan(5);
    expect(byBytes.every((e) => e.kind === 'folder' || e.method === 'bytes')).toBe(true);
    expect(bySource.map((e) => [e.path, e.size])).toEqual(byBytes.map((e) => [e.path, e.size]));
  });

  it('is the same, in the same order, where digests are made beside the reading, however late they come', async () => {
    const device = await makeVolume({ kind: 'ext4', size: 96 * MIB });
    await fillRandomly('ext4', device, 22, 0.6);
    await write('ext4', device, async (writer) => {
      // Beyond what is read whole, in several pieces.
      await writer.writeFile('large', { kind: 'procedural', seed: 9, size: 21 * MIB + 5 }, {});
    });
    let [open, most] = [0, 0];
    const random = seededRandom(23);
    const whole = async (bytes: Uint8Array): Promise<string> => {
      most = Math.max(most, (open += 1));
      // What it is given is borrowed for the call.
      const digest = quickDigest(bytes);
      await new Promise((resolve) => setTimeout(resolve, random() * 8));
      open -= 1;
      return digest;
    };
    const late = Object.assign((): ReturnType<HasherFactory> => quickHasher(), { whole });
    const expected = await manifestOf('ext4', device, true);
    expect(await manifestOf('ext4', device, true, late)).toEqual(expected);
    expect(most).toBeGreaterThan(3);
    const failing = Object.assign((): ReturnType<HasherFactory> => quickHasher(), {
      whole: async (bytes: Uint8Array) => {
        await whole(bytes);
        throw new Error('no memory');
      },
    });
    await expect(manifestOf('ext4', device, true, failing)).rejects.toThrow('no memory');
  });

  it('agrees with the machine’s own SHA-256', async () => {
    const device = new SparseDevice(1 << 20);
    await device.place(0, 1 << 20, 3, 0);
    const bytes = await device.bytes(0, 1 << 20);
    const hash = await portableHasher();
    hash.update(bytes.subarray(0, 1000));
    hash.update(bytes.subarray(1000));
    expect(await hash.digest()).toBe(createHash('sha256').update(bytes).digest('hex'));
  });
});

describe('a certificate', () => {
  const proof = { ...compareManifests([entry('a')], [entry('a')]), number: 1, name: 'A', findings: [] };

  it('proves only when nothing differs and no structure is in error', () => {
    expect(certify('x', 'y', [], [proof]).proven).toBe(true);
    expect(certify('x', 'y', [], [{ ...proof, differing: 1 }]).proven).toBe(false);
    const finding = { severity: 'error' as const, code: 'x', message: 'x' };
    expect(certify('x', 'y', [], [{ ...proof, findings: [finding] }]).proven).toBe(false);
    expect(certify('x', 'y', [], [{ ...proof, findings: [{ ...finding, severity: 'warning' }] }]).proven).toBe(true);
  });
});
