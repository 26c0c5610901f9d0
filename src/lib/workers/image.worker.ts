import { checkedSource, type ByteSource } from '$core/images/source';
import type { Outcome } from '$core/problem';
import { readImage, type ImageRead } from '$core/holdings';
import type { ImageProgress } from '$core/survey';
import type { WorkerMessage } from './run';
import type { ReadImage } from './asked';

const sourceOf = (file: File): ByteSource =>
  checkedSource(
    file.size,
    async (offset, length) => new Uint8Array(await file.slice(offset, offset + length).arrayBuffer()),
  );

/** Reads a disk image by slices: the file never leaves the machine, and only what tells something is read. */
self.onmessage = async (event: MessageEvent<ReadImage>) => {
  const { file, beside, machineName, takenAt } = event.data;
  const tell = (message: WorkerMessage<ImageProgress, Outcome<ImageRead>>) => self.postMessage(message);
  let told = 0;
  try {
    const outcome = await readImage(sourceOf(file), {
      machineName,
      takenAt,
      beside: (name) => {
        const found = beside.find((one) => one.name === name);
        return found ? sourceOf(found) : null;
      },
      progress: (progress) => {
        // A message per percent is enough; one per read would only slow the reading.
        if (progress.share < 1 && progress.share - told < 0.01) return;
        told = progress.share;
        tell({ kind: 'progress', progress });
      },
    });
    tell({ kind: 'done', result: outcome });
  } catch (error) {
    const reason = error instanceof Error ? error.message : String(error);
    const message = `The file could not be read: ${reason}. Was it moved or changed while it was read?`;
    tell({ kind: 'done', result: { ok: false, problems: [{ code: 'unreadable', path: '', message }] } });
  }
};
