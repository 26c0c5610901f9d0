import { failure, type Outcome } from '../problem';
import { ReadBeyondEnd } from './source';

/** Damage of what an image file says of itself; `message` goes on after “it can't be read: ”. */
export class BrokenImage extends Error {}

/**
 * Opens an image, or says why it can't be read.
 * @param format its name as a sentence begins with it, "This qcow2 image"
 */
export async function catchBroken<T>(
  format: string,
  code: string,
  open: () => Promise<Outcome<T>>,
): Promise<Outcome<T>> {
  try {
    return await open();
  } catch (error) {
    const reason =
      error instanceof BrokenImage
        ? error.message
        : error instanceof ReadBeyondEnd
          ? 'it is cut short'
          : null;
    if (reason === null) throw error;
    return failure({
      code,
      path: '',
      message: `${format} can't be read: ${reason}. Make it again from its disk.`,
    });
  }
}
