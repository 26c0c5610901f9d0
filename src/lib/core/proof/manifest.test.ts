import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { machineOf } from '../survey';
import { clinic } from '../test/clinic';
import { ManifestReader, proveFiles, type Manifest } from '.';

const { disks } = machineOf(clinic());
const HEAD = {
  format: 'gentle-tide/manifest',
  version: 1,
  takenAt: '2026-11-20T10:00:00Z',
  machine: 'XRAY',
  disks: [disks[0]!.serial],
  folders: ['D:\\'],
};
interface Line {
  path: string;
  size: number;
  hash: string;
}
const hash = (n: number): string => n.toString(16).toUpperCase().padStart(64, '0');
const text = (lines: readonly Line[], head: object = HEAD, tail?: object): string =>
  [
    JSON.stringify(head),
    ...lines.map((line) => `${line.hash}\t${line.size}\t${line.path}`),
    JSON.stringify(tail ?? { files: lines.length, bytes: lines.reduce((sum, line) => sum + line.size, 0) }),
    '',
  ].join('\n');

function read(whole: string, step = 37) {
  const reader = new ManifestReader();
  for (let at = 0; at < whole.length; at += step) reader.push(whole.slice(at, at + step));
  return reader.end();
}
const manifest = (lines: readonly Line[], head: object = HEAD): Manifest => {
  const outcome = read(text(lines, head));
  if (!outcome.ok) throw new Error(outcome.problems[0]!.message);
  return outcome.value;
};
const LATER = { ...HEAD, takenAt: '2026-11-21T10:00:00Z' };
const line = (path: string, n: number, size = 10): Line => ({ path, size, hash: hash(n) });

const lines = fc
  .uniqueArray(
    fc.record({
      path: fc.string({ minLength: 1, maxLength: 12, unit: fc.constantFrom('a', 'b', 'ü', ' ', '\\', '{') }),
      size: fc.nat(1e6),
      n: fc.nat(5),
    }),
    { selector: (one) => one.path, maxLength: 40 },
  )
  .map((list) => list.map(({ path, size, n }) => ({ path: `D:\\${path}`, size, hash: hash(n) })));

describe('a manifest', () => {
  it('reads the same in whatever pieces it comes, with either line end', () =>
    fc.assert(
      fc.property(lines, fc.integer({ min: 1, max: 90 }), (list, step) => {
        const [unix, dos] = [read(text(list), step), read(text(list).replaceAll('\n', '\r\n'), step)];
        expect(unix.ok && [...unix.value.files]).toEqual(
          list.map((one) => [one.path, `${one.hash}\t${one.size}`]),
        );
        expect(dos).toEqual(unix);
      }),
    ));

  it.each([
    ['not-a-manifest', 'hello\n'],
    ['not-a-manifest', ''],
    ['not-a-manifest', '{"format":"gentle-tide/manifest","version":1}\n{"files":0,"bytes":0}\n'],
    ['version', text([], { ...HEAD, version: 2 })],
    ['line', text([]).replace('{"files"', 'nonsense\n{"files"')],
    ['twice', text([line('D:\\a', 1), line('D:\\a', 2)])],
    [
      'cut-short',
      text([line('D:\\a', 1), line('D:\\b', 2)])
        .split('\n')
        .slice(0, 2)
        .join('\n'),
    ],
    ['count', text([line('D:\\a', 1)], HEAD, { files: 2, bytes: 10 })],
    ['count', text([line('D:\\a', 1)], HEAD, { files: 1, bytes: 11 })],
  ])('is refused with the reason: %s', (code, whole) => {
    const outcome = read(whole);
    expect(outcome.ok ? null : outcome.problems[0]!.code).toBe(code);
  });
});

describe('two manifests', () => {
  it('of the same files prove them', () =>
    fc.assert(
      fc.property(lines, (list) => {
        const proof = proveFiles(manifest(list), manifest([...list].reverse(), LATER), disks);
        expect(proof.ok && [proof.value.verdict, proof.value.same]).toEqual(['proved', list.length]);
      }),
    ));

  it('account for every file exactly once, whatever happened to it', () =>
    fc.assert(
      fc.property(lines, lines, (before, after) => {
        const proof = proveFiles(manifest(before), manifest(after, LATER), disks);
        if (!proof.ok) throw new Error('they can be compared');
        const { same, moved, changed, missing, added, unreadable, verdict } = proof.value;
        expect(same + moved + changed.count + missing.count + unreadable.count).toBe(before.length);
        expect(same + moved + changed.count + added.count + unreadable.count).toBe(after.length);
        expect(verdict === 'lost').toBe(missing.count > 0);
      }),
    ));

  it('tell a moved file from a lost one, and a changed one from the same', () => {
    const before = [line('D:\\a', 1), line('D:\\b', 2), line('D:\\c', 3), line('D:\\d', 4)];
    const after = [line('D:\\a', 1), line('D:\\x\\b', 2), line('D:\\c', 9), line('D:\\new', 7)];
    const proof = proveFiles(manifest(before), manifest(after, LATER), disks);
    expect(proof.ok && proof.value).toMatchObject({
      verdict: 'lost',
      same: 1,
      moved: 1,
      changed: { count: 1, named: ['D:\\c'] },
      missing: { count: 1, named: ['D:\\d'] },
      added: { count: 1, named: ['D:\\new'] },
    });
  });

  it('never count a file that could not be read as the same', () => {
    const unread = { path: 'D:\\a', size: 0, hash: '-' };
    const proof = proveFiles(manifest([unread]), manifest([unread], LATER), disks);
    expect(proof.ok && proof.value).toMatchObject({ verdict: 'open', same: 0, unreadable: { count: 1 } });
  });

  it.each([
    ['other-machine', { ...HEAD, disks: ['GT-OTHER'] }, LATER],
    ['other-machine', HEAD, { ...LATER, disks: [] }],
    ['order', LATER, HEAD],
    ['other-folders', HEAD, { ...LATER, folders: ['E:\\'] }],
  ])('are refused with the reason: %s', (code, before, after) => {
    const proof = proveFiles(manifest([], before), manifest([], after), disks);
    expect(proof.ok ? null : proof.problems[0]!.code).toBe(code);
  });
});
