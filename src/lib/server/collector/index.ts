import { createHash } from 'node:crypto';
import source from './gentle-tide-survey.ps1?raw';

/** The script that takes a survey on the machine itself, as it is served, with what it can be checked by. */
export const COLLECTOR = {
  name: 'gentle-tide-survey.ps1',
  text: source,
  sha256: createHash('sha256').update(source).digest('hex'),
};
