import type { Saved } from '$contract/shapes';
import { success, type Outcome } from '$core/problem';

/** Answer to a save of a job: its number, and the version to be sent with the next save. */
export async function answerSaved(number: number, saved: Promise<Outcome<number>>): Promise<Outcome<Saved>> {
  const version = await saved;
  return version.ok ? success({ number, version: version.value }) : version;
}
