import { NO_TIME } from '../tools';
import type { Check } from './sheet';

/** Makes checks whose ids begin alike: title, sentences, and whatever else one has. */
export const checksOf =
  (prefix: string) =>
  (id: string, title: string, text: string[], more: Partial<Check> = {}): Check => ({
    id: `${prefix}-${id}`,
    title,
    text,
    values: [],
    asks: [],
    script: null,
    handsOn: NO_TIME,
    waiting: NO_TIME,
    ...more,
  });
