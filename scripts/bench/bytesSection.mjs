import { runBundled } from './bundled.mjs';

const MIB = 2 ** 20;

/** The part of docs/benchmarks.md about the bench on real bytes. */
export async function bytesSection() {
  const { value: times } = await runBundled('scripts/bench/bytes.ts', 'bytesTimings');
  const { value: shrink, peak: shrinkPeak } = await runBundled('scripts/bench/bytes.ts', 'shrinkTimings');
  const { value: large, peak } = await runBundled('scripts/bench/bytes.ts', 'largeDisk');
  const rate = (/** @type {number} */ seconds) => `${Math.round(times.bytes / MIB / seconds)} MiB/s`;
  const share = (/** @type {number} */ value) => value.toFixed(2);
  const s = (/** @type {number} */ seconds) => `${seconds.toFixed(1)} s`;
  return `## The bench on real bytes

An NTFS volume with 4 GiB of files that \`ntfs-3g\` wrote, on a raw disk in a file, moved clear of its place with the journal in a file beside it, and
\`cp --reflink=never\` with \`sync\` of the same bytes in the same run, in turn; then every file of the volume hashed for its manifest, and \`sha256sum\` of the
same bytes. Medians of three. Aims: 0.8 of the system\u2019s own rate, less than a tenth of the time for the journal.

| what | here | the system\u2019s tool | of its rate |
| --- | --- | --- | --- |
| moving 4 GiB of files | ${rate(times.move)} | ${rate(times.cp)} | ${share(times.cp / times.move)} |
| hashing them | ${rate(times.hash)} | ${rate(times.sha256sum)} | ${share(times.sha256sum / times.hash)} |

The journal took ${(100 * times.journalShare).toFixed(1)} % of the time, at most.

A volume of 5.1 GiB made smaller by 2.3 GiB, so that ${(shrink.bytes / 2 ** 30).toFixed(2)} GiB of files (4,096 small ones, six of 256 MiB) had to be brought before its new end: ${s(shrink.shrink)}, ${Math.round(shrink.bytes / MIB / shrink.shrink)} MiB/s;
\`cp\` with \`sync\` of as many bytes ${s(shrink.cp)}: ${share(shrink.cp / shrink.shrink)} of its rate (aim: 0.6). An empty NTFS volume of 500 GiB made in ${shrink.format.toFixed(2)} s (aim: 1 s). The process took at most
${shrinkPeak} MiB (aim: 250 MiB).

A stand-in of a disk of 4 TiB with 1.6 TiB in use: made in ${s(large.made)}, a volume of 2.9 TiB moved over itself in ${s(large.moved)}, everything on it proved in ${s(large.proved)}. The
process took at most ${peak} MiB (aim: 200 MiB).`;
}
