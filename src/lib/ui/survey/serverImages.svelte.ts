import { addressOf, call, refusalOf, UNREACHABLE, type Refusal, type Reply } from '$contract/client';
import type { Upload } from '$contract/images';
import type { SurveyingLine } from '$contract/surveys';
import type { Saved } from '$contract/shapes';
import type { ImageProgress } from '$core/survey';

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
    const response = await fetch(addressOf('POST /jobs/{number}/survey-image', { number: job.number }), {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ version: job.version, image }),
      signal,
    });
    if (!response.ok || !response.body)
      return { ok: false, refusal: refusalOf(response.status, await response.json().catch(() => null)) };
    for await (const line of linesOf(response.body)) {
      const told = JSON.parse(line) as SurveyingLine<ImageProgress>;
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

/** Bytes of a piece, the most that the server takes (MAX_PIECE): a line that breaks costs no more than one. */
const PIECE = 8 * 2 ** 20;

const BROKEN = refusalOf(0, {
  detail: 'The line to the server broke. What has arrived is kept; go on when it answers again.',
});

/**
 * A file that is sent up to the server piece by piece: it can be stopped, and gone on with, even after the page was
 * closed.
 */
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
    if (this.upload) await call('DELETE /uploads/{id}', { id: this.upload.id });
    this.file = null;
    this.refusal = null;
  }

  private async pieces(file: File, signal: AbortSignal): Promise<void> {
    const body = { name: file.name, bytes: file.size, changedAt: file.lastModified };
    const begun = await call('POST /uploads', { body });
    if (!begun.ok) return void (this.refusal = begun.refusal);
    this.upload = begun.value;
    this.received = begun.value.received;
    while (this.received < file.size && !signal.aborted) {
      const piece = {
        id: begun.value.id,
        query: { offset: this.received },
        body: file.slice(this.received, this.received + PIECE),
        type: 'application/octet-stream' as const,
      };
      const reply = await call('PUT /uploads/{id}', piece, { signal });
      if (signal.aborted) return;
      if (!reply.ok) return void (this.refusal = reply.refusal.status === 0 ? BROKEN : reply.refusal);
      this.received = reply.value.received;
    }
    if (this.received < file.size) return;
    this.file = null;
    this.arrived();
  }
}
