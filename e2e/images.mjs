import { loadTs } from '../scripts/loadTs.mjs';

/** Makes the disk images that the browser tests read, once for all of them, and clears them away afterwards. */
export default async function images() {
  const { makeImage, CLINIC_VOLUMES, LARGE_VOLUMES } = await loadTs('scripts/test/image.ts');
  const small = makeImage(CLINIC_VOLUMES, { gap: 200 });
  const large = makeImage(LARGE_VOLUMES, { gap: 1024 });
  process.env['SMALL_IMAGE'] = small.path;
  process.env['LARGE_IMAGE'] = large.path;
  return () => {
    small.remove();
    large.remove();
  };
}
