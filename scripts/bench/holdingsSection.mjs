import { loadTs } from '../loadTs.mjs';
import { runBundled } from './bundled.mjs';

/**
 * The part of docs/benchmarks.md about what fills a volume.
 * @param {(image: string) => Promise<number>} inBrowser milliseconds from choosing an image on the Survey screen until
 *   its survey stands there
 */
export async function holdingsSection(inBrowser) {
  const { millionFiles } = await loadTs('scripts/bench/holdings.ts');
  const image = millionFiles();
  const { value, peak } = await runBundled('scripts/bench/holdings.ts', 'holdingsTimings');
  const browser = (await inBrowser(image)) / 1000;
  return `## What fills a volume of a million files

A disk image with an NTFS volume on which \`ntfs-3g\` wrote ${value.files.toLocaleString('en-GB')} files in 2,000 folders (its file table has 1 GiB): the survey and what
fills the volume together, in a process of its own from the bundle that ships, median of three; then from choosing the image on the Survey screen in headless Chromium
until the survey stands there, read by the worker. Of the ${(value.used / 2 ** 20).toFixed(0)} MiB in use, ${((100 * value.accounted) / value.used).toFixed(2)} % were accounted for.

| what | measured | aim |
| --- | --- | --- |
| on the server | ${value.seconds.toFixed(1)} s | 5 s |
| in the browser, until it is shown | ${browser.toFixed(1)} s | 5 s |
| the most memory of the process | ${peak} MiB | 300 MiB |`;
}
