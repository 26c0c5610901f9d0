import { failure, success, type Outcome } from '../problem';

/**
 * A manifest is a text: a line of JSON that says what it is of, a line for every file (SHA-256, size and path, apart
 * by tabs; a hyphen for a file that could not be read), and a line of JSON that counts them, by which a manifest that
 * was cut short is told.
 */
export const MANIFEST_FORMAT = 'gentle-tide/manifest';

export interface ManifestHead {
  format: typeof MANIFEST_FORMAT;
  version: 1;
  /** RFC 3339. */
  takenAt: string;
  machine: string;
  /** Serial numbers, GUIDs and signatures of the machine's disks. */
  disks: string[];
  folders: string[];
}

/** Line of a file: hash and size, or a hyphen and its size where it could not be read, apart by a tab. */
type Fact = string;

export interface Manifest {
  head: ManifestHead;
  /** Facts by path. */
  files: Map<string, Fact>;
  bytes: number;
  unreadable: number;
}

const FACT = /^([0-9A-F]{64}|-)\t\d{1,16}$/;

/**
 * Reads a manifest from pieces of text as they come. A problem names the line; nothing is taken from a manifest that
 * has one. Problem codes: `not-a-manifest`, `version`, `line`, `twice`, `cut-short`, `count`.
 */
export class ManifestReader {
  private rest = '';
  private line = 0;
  private head: ManifestHead | null = null;
  private tail: { files: number; bytes: number } | null = null;
  private readonly files = new Map<string, Fact>();
  private bytes = 0;
  private unreadable = 0;
  private problem: Outcome<never> | null = null;

  /** Files that were read so far. */
  get count(): number {
    return this.files.size;
  }

  push(text: string): void {
    if (this.problem) return;
    const whole = this.rest + text;
    let from = 0;
    for (let end = whole.indexOf('\n'); end >= 0; end = whole.indexOf('\n', from)) {
      this.take(whole.slice(from, whole.charCodeAt(end - 1) === 13 ? end - 1 : end));
      from = end + 1;
    }
    this.rest = whole.slice(from);
  }

  end(): Outcome<Manifest> {
    if (this.rest !== '') this.take(this.rest);
    this.rest = '';
    if (this.problem) return this.problem;
    const { head, tail, files, bytes, unreadable } = this;
    if (!head) return this.refuse('not-a-manifest', 'The file is empty.');
    if (!tail) {
      return this.refuse(
        'cut-short',
        `The manifest was cut short after ${files.size} files: its last line is missing. Make it again.`,
      );
    }
    if (tail.files !== files.size || tail.bytes !== bytes) {
      return this.refuse(
        'count',
        `The manifest says ${tail.files} files with ${tail.bytes} bytes, but lists ${files.size} with ${bytes}. It was altered.`,
      );
    }
    return success({ head, files, bytes, unreadable });
  }

  private refuse(code: string, message: string): Outcome<never> {
    this.problem ??= failure({ code, path: `/${this.line}`, message });
    return this.problem;
  }

  private take(line: string): void {
    if (this.problem) return;
    this.line++;
    if (this.line === 1) {
      this.takeHead(line.replace(/^\uFEFF/, ''));
    } else if (line.startsWith('{')) {
      this.takeTail(line);
    } else if (line !== '') {
      this.takeFile(line);
    }
  }

  private takeHead(line: string): void {
    const head = parsed(line) as Partial<ManifestHead> | null;
    if (head?.format !== MANIFEST_FORMAT) {
      this.refuse('not-a-manifest', 'This is no manifest: its first line does not say so.');
    } else if (head.version !== 1) {
      this.refuse(
        'version',
        `This manifest has version ${JSON.stringify(head.version)}; version 1 is known here.`,
      );
    } else if (
      typeof head.machine !== 'string' ||
      !isTexts(head.disks) ||
      !isTexts(head.folders) ||
      Number.isNaN(Date.parse(String(head.takenAt)))
    ) {
      this.refuse(
        'not-a-manifest',
        'The first line of the manifest does not say of which machine, disks and folders it is, and from when.',
      );
    } else this.head = head as ManifestHead;
  }

  private takeTail(line: string): void {
    const tail = parsed(line) as { files?: unknown; bytes?: unknown } | null;
    if (this.tail || typeof tail?.files !== 'number' || typeof tail.bytes !== 'number') {
      this.refuse('line', `Line ${this.line} is neither a file nor the count at the end.`);
    } else this.tail = { files: tail.files, bytes: tail.bytes };
  }

  private takeFile(line: string): void {
    const hashEnd = line.indexOf('\t');
    const factEnd = line.indexOf('\t', hashEnd + 1);
    const path = line.slice(factEnd + 1);
    let fact = line.slice(0, Math.max(0, factEnd));
    if (!FACT.test(fact)) fact = fact.toUpperCase();
    if (!FACT.test(fact) || path === '' || this.tail) {
      this.refuse('line', `Line ${this.line} is not a file’s hash, size and path.`);
      return;
    }
    const before = this.files.size;
    this.files.set(path, fact);
    if (this.files.size === before) {
      this.refuse('twice', `Line ${this.line} names a file that was named before: ${path}.`);
      return;
    }
    this.bytes += Number(fact.slice(hashEnd + 1));
    if (hashEnd === 1) this.unreadable++;
  }
}

function parsed(line: string): unknown {
  try {
    const value: unknown = JSON.parse(line);
    return typeof value === 'object' ? value : null;
  } catch {
    return null;
  }
}

const isTexts = (value: unknown): value is string[] =>
  Array.isArray(value) && value.every((one) => typeof one === 'string');
