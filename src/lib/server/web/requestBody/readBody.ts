import type { Document } from '$contract/endpoint';
import type { Outcome } from '$core/problem';
import { success } from '$core/problem';
import { runInWorker } from '../../platform/threads/runInWorker';
import { checkBody, checkBodyTask } from '../../platform/validation/checkBody';
import { MAX_JSON, readRaw } from './readRaw';

/** Bytes up to which a body is read and checked at once; the worst of that size takes some 5 ms. */
const SMALL = 32 * 1024;

/**
 * Reads and checks a JSON body. A large one is read and checked beside the server's own thread: what comes back fits
 * its bounds. Refusals: those of `readRaw` and `checkBody`.
 */
export async function readBody(request: Request, { name }: Document): Promise<Outcome<unknown>> {
  const raw = await readRaw(request, 'application/json', MAX_JSON);
  if (!raw.ok) return raw;
  const bytes = raw.value;
  if (bytes.length <= SMALL) return checkBody(bytes, name);
  const checked = await runInWorker(checkBodyTask, { bytes, name });
  return checked.ok ? success(JSON.parse(checked.value) as unknown) : checked;
}
