import { refuse } from '$contract/problems';
import { success, type Outcome } from '$core/problem';
import { MIB } from '$core/units';
import { readBytes } from './readBytes';

/** Most bytes of a JSON body. */
export const MAX_JSON = 4 * MIB;

/** The bytes of a body of one media type. Refusals: `wrong-type`, `too-large`. */
export async function readRaw(request: Request, type: string, most: number): Promise<Outcome<Uint8Array>> {
  const given = request.headers.get('content-type')?.split(';')[0]?.trim().toLowerCase();
  const bytes = await readBytes(request, most);
  if (given !== type) return refuse('wrong-type', { wanted: type, given: given?.slice(0, 100) ?? '' });
  return bytes ? success(bytes) : refuse('too-large', { mebibytes: most / MIB });
}
