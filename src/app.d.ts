import type { IncomingMessage } from 'node:http';
import type { Failure } from '$lib/server/web/runner/failure';

declare global {
  namespace App {
    interface Locals {
      /** What the log and the answer call the request. */
      requestId: string;
      /** What went wrong with the request, from where it is caught to where its answer is made. */
      failure?: Failure;
    }
    interface Platform {
      /** What adapter-node was asked. */
      req: IncomingMessage;
    }
    interface Error {
      message: string;
      /** What the reader can do about it. */
      hint?: string;
      /** The status of the answer, where it is another than that of any defect. */
      status?: number;
    }
  }
}
