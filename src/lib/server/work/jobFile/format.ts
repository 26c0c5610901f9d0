import { createHash } from 'node:crypto';
import { version } from '../../../../../package.json';

export const JOB_FORMAT = 'gentle-tide/job';
/** 2: with what plans and sheets were made of. 3: with rehearsals. 4: with what fills volumes. */
export const JOB_VERSION = 4;
/** The part that lists all others with their SHA-256, by which a missing or altered one is told. */
export const CONTENTS = 'contents.json';
/** Plans and sheets that the same release made of the same things are the same to the letter. */
export const RELEASE: string = version;

export interface Contents {
  format: typeof JOB_FORMAT;
  version: number;
  /** The release that it was exported by; absent in files of version 1. */
  release?: string;
  exportedAt: string;
  parts: Record<string, string>;
}

export const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
