import type { IncomingMessage } from 'node:http';

declare global {
  namespace App {
    interface Platform {
      /** What adapter-node was asked. */
      req: IncomingMessage;
    }
    interface Error {
      message: string;
      /** What the reader can do about it. */
      hint?: string;
    }
  }
}
