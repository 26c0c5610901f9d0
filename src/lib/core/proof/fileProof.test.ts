import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { machineOf } from '../survey';
import { diskSpec, surveyWith } from '../survey/sketch';
import { findFileProofProblem, proveFiles, type FileProof } from './fileProof';
import type { Manifest } from './manifest';

const [disk] = machineOf(surveyWith(diskSpec({ size: 1000, serial: 'GT-FP-0001' }, []))).disks;
const disks = [disk!];

/** A manifest of some files with some contents; a hyphen could not be read. */
const manifest = (takenAt: string, files: Record<string, string>): Manifest => ({
  head: {
    format: 'gentle-tide/manifest',
    version: 1,
    takenAt,
    machine: 'bench',
    disks: ['GT-FP-0001'],
    folders: ['D:\\'],
  },
  files: new Map(Object.entries(files)),
  bytes: 0,
  unreadable: 0,
});
const names = fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f', 'g');
const contents = fc.constantFrom('1\t9', '2\t9', '3\t9', '-\t9');
const files = fc.dictionary(names, contents);
const outcomes = fc.tuple(files, files).map(([before, after]): FileProof => {
  const proved = proveFiles(
    manifest('2026-11-20T10:00:00Z', before),
    manifest('2026-11-21T10:00:00Z', after),
    disks,
  );
  if (!proved.ok) throw new Error(proved.problems[0]!.message);
  return proved.value;
});

describe('files of a volume that was joined to another', () => {
  const [earlier, later] = ['2026-11-20T10:00:00Z', '2026-11-21T10:00:00Z'];
  const of = (folders: string[], at: string, files: Record<string, string>): Manifest => {
    const made = manifest(at, files);
    return { ...made, head: { ...made.head, folders } };
  };
  const before = of(['C:\\', 'D:\\'], earlier, { 'C:\\a': '1\t9', 'D:\\b': '2\t9', 'D:\\c': '3\t9' });

  it('are proved where each lies in the folder, and lost where one does not', () => {
    const whole = { 'C:\\a': '1\t9', 'C:\\Files (was D)\\b': '2\t9', 'C:\\Files (was D)\\c': '3\t9' };
    const all = proveFiles(before, of(['C:\\'], later, whole), disks);
    expect(all).toMatchObject({ ok: true, value: { verdict: 'proved', same: 1, moved: 2 } });
    const short = { 'C:\\a': '1\t9', 'C:\\Files (was D)\\b': '2\t9' };
    const less = proveFiles(before, of(['C:\\'], later, short), disks);
    expect(less).toMatchObject({ ok: true, value: { verdict: 'lost', missing: { named: ['D:\\c'] } } });
  });

  it('are not looked for in folders that have nothing in common with theirs', () => {
    for (const folders of [['E:\\'], ['C:\\', 'E:\\'], []])
      expect(proveFiles(before, of(folders, later, {}), disks)).toMatchObject({
        ok: false,
        problems: [{ code: 'other-folders' }],
      });
  });
});

describe('a comparison of files that was made elsewhere', () => {
  it('holds together whatever became of the files', () =>
    fc.assert(
      fc.property(outcomes, (proof) => {
        expect(findFileProofProblem(proof, disks)).toBeNull();
      }),
    ));

  it('is seen to be wrong where one of its figures, or its verdict, is another', () =>
    fc.assert(
      fc.property(
        outcomes,
        fc.constantFrom('same', 'moved', 'changed', 'missing', 'added', 'unreadable', 'verdict'),
        fc.integer({ min: 1, max: 5 }),
        (proof, field, by) => {
          const other = structuredClone(proof);
          if (field === 'verdict') other.verdict = proof.verdict === 'proved' ? 'open' : 'proved';
          else if (field === 'same' || field === 'moved') other[field] += by;
          else other[field as 'changed'].count += by;
          expect(findFileProofProblem(other, disks)).not.toBeNull();
        },
      ),
    ));

  it('is of this machine, these folders, and later', () => {
    const proof = fc.sample(outcomes, { numRuns: 1, seed: 1 })[0]!;
    const after = (change: Partial<FileProof['after']>) =>
      findFileProofProblem({ ...proof, after: { ...proof.after, ...change } }, disks)?.code;
    expect([
      after({ disks: ['GT-FP-0002'] }),
      after({ folders: ['E:\\'] }),
      after({ takenAt: '2026-11-19T10:00:00Z' }),
    ]).toEqual(['other-machine', 'other-folders', 'order']);
  });
});
