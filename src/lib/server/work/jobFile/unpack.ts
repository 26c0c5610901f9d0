import { PARTS, SINCE } from '$contract/jobFile';
import { Unzip, UnzipInflate } from 'fflate';
import { type Outcome, type Problem, refusal, success } from '$core/problem';
import { takeFirstCharacters } from '$core/wellFormed';
import { parseJson } from '../../platform/validation/parseJson';
import { CONTENTS, JOB_FORMAT, JOB_VERSION, sha256, type Contents } from './format';

/** Most bytes of a job's file, unpacked; a job with a hundred surveys has a few MiB. */
const MAX_UNPACKED = 32 * 1024 * 1024;
/** Values in one part; a hundred surveys of ten partitions have 30,000. */
const MAX_VALUES = 300_000;
const MAX_PARTS = 32;

/** Parts of a job’s file, read but not checked. */
export interface Unpacked {
  parts: Record<string, unknown>;
  /** The release that it was exported by; empty where it does not say. */
  release: string;
}

/**
 * Unpacks a job's file. What it says of its own sizes is not believed: unpacking stops at the limit. Problem codes:
 * `not-a-zip`, `bomb`, `not-a-job`, `newer`, `missing`, `altered`, `strange`.
 */
export function unpackJob(packed: Uint8Array): Outcome<Unpacked> {
  const files = unzip(packed);
  if (!files.ok) return files;
  const list = files.value.get(CONTENTS);
  const listed = list && parseJson(list, MAX_VALUES);
  const contents = (listed?.ok ? listed.value : null) as Partial<Contents> | null;
  if (contents?.format !== JOB_FORMAT || typeof contents.parts !== 'object' || contents.parts === null) {
    return refusal('not-a-job', 'This file is no job of Gentle Tide: it has no list of its contents.');
  }
  if (typeof contents.version !== 'number' || contents.version > JOB_VERSION) {
    return refusal(
      'newer',
      `This job was exported by a newer version of Gentle Tide (its format is ${String(contents.version)}, ${JOB_VERSION} is known here). Update this bench first.`,
    );
  }
  for (const [name, hash] of Object.entries(contents.parts)) {
    const bytes = files.value.get(name);
    if (!bytes)
      return refusal(
        'missing',
        `The file lacks the part ${name}. Nothing was taken over; export the job again.`,
      );
    if (sha256(bytes) !== hash) {
      return refusal(
        'altered',
        `The part ${name} is not as it was exported: it was altered or damaged. Nothing was taken over.`,
      );
    }
  }
  for (const name of files.value.keys()) {
    if (name !== CONTENTS && !Object.hasOwn(contents.parts, name)) {
      return refusal('strange', `The file holds ${name}, which its list of contents does not name.`);
    }
  }
  const parts: Record<string, unknown> = {};
  for (const name of PARTS) {
    if (contents.version < (SINCE[name] ?? 0) && !Object.hasOwn(contents.parts, name)) {
      parts[name] = [];
      continue;
    }
    if (!Object.hasOwn(contents.parts, name))
      return refusal(
        'missing',
        `The file lacks the part ${name}. Nothing was taken over; export the job again.`,
      );
    const part = parseJson(files.value.get(name)!, MAX_VALUES);
    if (!part.ok) {
      const [{ code, message }] = part.problems as [Problem];
      return refusal(code === 'too-much' ? 'bomb' : 'altered', `The part ${name} can’t be read. ${message}`);
    }
    parts[name] = part.value;
  }
  const release = typeof contents.release === 'string' ? takeFirstCharacters(contents.release, 50) : '';
  return success({ parts, release });
}

/** Bytes that are fed at a time, so that a bomb is noticed after a piece of it. */
const PIECE = 64 * 1024;

function unzip(packed: Uint8Array): Outcome<Map<string, Uint8Array>> {
  const files = new Map<string, Uint8Array>();
  let total = 0;
  let broken = false;
  // The library hands on what is thrown in its callbacks as an error of the file, so a flag says what it was.
  let tooMuch = false;
  const stop = (): never => {
    tooMuch = true;
    throw new Error('too much');
  };
  const reader = new Unzip((file) => {
    const pieces: Uint8Array[] = [];
    if (files.size >= MAX_PARTS || files.has(file.name)) stop();
    files.set(file.name, new Uint8Array());
    file.ondata = (error, piece, last) => {
      if (error) broken = true;
      else {
        total += piece.length;
        if (total > MAX_UNPACKED) stop();
        pieces.push(piece);
        if (last) files.set(file.name, Buffer.concat(pieces));
      }
    };
    file.start();
  });
  reader.register(UnzipInflate);
  try {
    for (let at = 0; at < packed.length && !broken && !tooMuch; at += PIECE) {
      reader.push(packed.subarray(at, at + PIECE), at + PIECE >= packed.length);
    }
  } catch {
    broken = true;
  }
  if (tooMuch) {
    return refusal(
      'bomb',
      `Unpacked, this file holds more than ${MAX_UNPACKED / 1024 / 1024} MiB or ${MAX_PARTS} parts: no job does. It was not unpacked any further.`,
    );
  }
  if (broken || files.size === 0) return refusal('not-a-zip', 'This file is no ZIP, or it was cut short.');
  return success(files);
}
