import type { ImageProgress } from '$core/survey';
import { refusalOf, send, UNREACHABLE, type Refusal, type Reply, type Saved } from '../api';

/** An image in the server's folder, as the list shows it. */
export interface ServerImage {
  name: string;
  /** Files beside it that hold its bytes, where it only describes them. */
  pieces: string[];
  whole: { bytes: number; room: number };
  kind: 'raw' | 'vhd' | 'vhdx' | 'qcow2' | 'vmdk' | null;
  changedAt: string | Date;
  /** The job whose route is being carried out on it. */
  job: number | null;
}

/**
 * Has the server survey one of its images for a job.
 *
 * @returns null where `signal` stopped it: nothing was kept
 */
export async function surveyOnServer(
  job: { number: number; version: number },
  image: string,
  onprogress: (progress: ImageProgress) => void,
  signal: AbortSignal,
): Promise<Reply<Saved> | null> {
  try {
    const response = await fetch(`/api/v1/jobs/${job.number}/survey-image`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ version: job.version, image }),
      signal,
    });
    if (!response.ok || !response.body)
      return { ok: false, refusal: refusalOf(response.status, await response.json().catch(() => null)) };
    for await (const line of linesOf(response.body)) {
      const told = JSON.parse(line) as { progress: ImageProgress } | { status: number; answer: unknown };
      if ('progress' in told) onprogress(told.progress);
      else if (told.status === 200) return { ok: true, value: told.answer as Saved };
      else return { ok: false, refusal: refusalOf(told.status, told.answer) };
    }
    return {
      ok: false,
      refusal: refusalOf(0, { detail: 'The server stopped in the middle. Nothing was kept; try again.' }),
    };
  } catch {
    return signal.aborted ? null : { ok: false, refusal: refusalOf(0, { detail: UNREACHABLE }) };
  }
}

async function* linesOf(body: ReadableStream<Uint8Array>): AsyncGenerator<string> {
  const reader = body.getReader();
  const text = new TextDecoder();
  let rest = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const lines = (rest + text.decode(value, { stream: true })).split('\n');
    rest = lines.pop()!;
    yield* lines;
  }
}

interface Upload {
  id: string;
  received: number;
}

/** Bytes of a piece, the most that the server takes: a line that breaks costs no more than one. */
const PIECE = 8 * 2 ** 20;

/** A file that is sent up to the server piece by piece: it can be stopped, and gone on with, even after the page was closed. */
export class Sending {
  file = $state.raw<File | null>(null);
  /** Bytes that have arrived. */
  received = $state(0);
  going = $state(false);
  refusal = $state<Refusal | null>(null);
  private upload: Upload | null = null;
  private stopping: AbortController | null = null;

  constructor(private readonly arrived: () => void) {}

  /** Sends a file, or goes on with one that was begun earlier. */
  async send(file: File): Promise<void> {
    this.file = file;
    this.received = 0;
    this.upload = null;
    await this.goOn();
  }

  async goOn(): Promise<void> {
    if (this.going || !this.file) return;
    this.going = true;
    this.refusal = null;
    this.stopping = new AbortController();
    try {
      await this.pieces(this.file, this.stopping.signal);
    } finally {
      this.going = false;
    }
  }

  stop(): void {
    this.stopping?.abort();
  }

  /** Throws away what has arrived. */
  async giveUp(): Promise<void> {
    this.stop();
    if (this.upload) await fetch(this.path, { method: 'DELETE' }).catch(() => null);
    this.file = null;
    this.refusal = null;
  }

  private get path(): string {
    return `/api/v1/uploads/${this.upload!.id}`;
  }

  private async pieces(file: File, signal: AbortSignal): Promise<void> {
    const begun = await send<Upload>('POST', '/api/v1/uploads', {
      name: file.name,
      bytes: file.size,
      changedAt: file.lastModified,
    });
    if (!begun.ok) return void (this.refusal = begun.refusal);
    this.upload = begun.value;
    this.received = begun.value.received;
    while (this.received < file.size && !signal.aborted) {
      const piece = file.slice(this.received, this.received + PIECE);
      const reply = await put(`${this.path}?offset=${this.received}`, piece, signal);
      if (reply === null) return;
      if (!reply.ok) return void (this.refusal = reply.refusal);
      this.received = reply.value.received;
    }
    if (this.received < file.size) return;
    this.file = null;
    this.arrived();
  }
}

/** null: it was stopped. */
async function put(path: string, piece: Blob, signal: AbortSignal): Promise<Reply<Upload> | null> {
  try {
    const headers = { 'content-type': 'application/octet-stream' };
    const response = await fetch(path, { method: 'PUT', headers, body: piece, signal });
    const answer: unknown = await response.json().catch(() => null);
    return response.ok
      ? { ok: true, value: answer as Upload }
      : { ok: false, refusal: refusalOf(response.status, answer) };
  } catch {
    const detail = 'The line to the server broke. What has arrived is kept; go on when it answers again.';
    return signal.aborted ? null : { ok: false, refusal: refusalOf(0, { detail }) };
  }
}
