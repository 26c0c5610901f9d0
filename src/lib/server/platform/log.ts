import pino from 'pino';
import { requester } from './requester';
import { readConfig } from './settings/config';

/** Settings that can't be used are told by whoever starts the server, not by its log. */
function levelOf(): string {
  const outcome = readConfig(process.env);
  return outcome.ok ? outcome.value.logLevel : 'info';
}

/**
 * The server's log: a line of JSON each, on standard output, where the system keeps and rotates it. Whatever is written
 * while a request is at work carries its id. Bodies, cookies and headers are never written, and of addresses only the
 * path: tokens stand in none of them.
 */
export const log = pino({
  level: import.meta.env?.MODE === 'test' ? 'silent' : levelOf(),
  base: null,
  timestamp: pino.stdTimeFunctions.isoTime,
  formatters: { level: (label) => ({ level: label }) },
  mixin: () => {
    const { id } = requester();
    return id === '' ? {} : { request: id };
  },
  // Should one slip into an object after all, it is blotted out.
  redact: {
    paths: [
      'passphrase',
      'pin',
      'token',
      'invitation',
      '*.passphrase',
      '*.pin',
      '*.token',
      '*.invitation',
      'password',
      '*.password',
    ],
    censor: '(kept out)',
  },
});
