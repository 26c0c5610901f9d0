import { strToU8, unzipSync, zipSync } from 'fflate';
import { sha256 } from '../work/jobFile/format';

/** The file with its parts changed; the list of contents follows where `honest`. */
export const changed = (
  file: Uint8Array,
  change: (parts: Record<string, Uint8Array>) => void,
  honest = true,
): Uint8Array => {
  const parts = unzipSync(file);
  change(parts);
  if (honest) {
    const contents = JSON.parse(new TextDecoder().decode(parts['contents.json'])) as {
      parts: Record<string, string>;
    };
    contents.parts = Object.fromEntries(
      Object.keys(contents.parts).flatMap((name) => (parts[name] ? [[name, sha256(parts[name])]] : [])),
    );
    parts['contents.json'] = strToU8(JSON.stringify(contents));
  }
  return zipSync(parts);
};
/** One part of it, read, worked on and written again. */
export const edit = (name: string, work: (value: never) => void) => (parts: Record<string, Uint8Array>) => {
  const value = JSON.parse(new TextDecoder().decode(parts[name])) as never;
  work(value);
  parts[name] = strToU8(JSON.stringify(value));
};
