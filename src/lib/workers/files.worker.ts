import type { Disk } from '$core/disk';
import { ManifestReader, proveFiles, type FileProof, type Manifest } from '$core/proof';
import type { Outcome } from '$core/problem';
import type { WorkerMessage } from './run';

/** Two manifests that are to be compared, for a machine with these disks. */
export interface AskedFiles {
  before: File;
  after: File;
  disks: Disk[];
}

/** A share of 1, and how many files were read. */
export interface FilesProgress {
  share: number;
  files: number;
}

const tell = (message: WorkerMessage<FilesProgress, Outcome<FileProof>>): void => self.postMessage(message);

/** Reads both manifests piece by piece and compares them; neither leaves the machine. */
self.onmessage = async ({ data }: MessageEvent<AskedFiles>) => {
  const total = data.before.size + data.after.size;
  let read = 0;
  let files = 0;
  const manifestOf = async (file: File): Promise<Outcome<Manifest>> => {
    const reader = new ManifestReader();
    const before = files;
    const decoder = new TextDecoder();
    const pieces = file.stream().getReader();
    for (;;) {
      const { done, value } = await pieces.read();
      if (done) break;
      reader.push(decoder.decode(value, { stream: true }));
      read += value.length;
      files = before + reader.count;
      tell({ kind: 'progress', progress: { share: read / total, files } });
    }
    return reader.end();
  };
  const named = (which: string, outcome: Outcome<Manifest>): Outcome<Manifest> =>
    outcome.ok
      ? outcome
      : {
          ok: false,
          problems: outcome.problems.map((one) => ({ ...one, message: `${which}: ${one.message}` })),
        };
  try {
    const before = named('Before', await manifestOf(data.before));
    if (!before.ok) return tell({ kind: 'done', result: before });
    const after = named('After', await manifestOf(data.after));
    if (!after.ok) return tell({ kind: 'done', result: after });
    tell({ kind: 'done', result: proveFiles(before.value, after.value, data.disks) });
  } catch (error) {
    const message = `The manifests could not be read: ${(error as Error).message}. Were they moved or changed meanwhile?`;
    tell({ kind: 'done', result: { ok: false, problems: [{ code: 'unreadable', path: '', message }] } });
  }
};
