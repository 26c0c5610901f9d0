import { MAX_NOTE, MAX_NOTES } from './document';

/**
 * Notes as a survey can hold them: each cut to its longest, and of too many the first, with how many more there are.
 */
export function boundNotes(notes: readonly string[]): string[] {
  const cut = notes.map((note) =>
    note.length > MAX_NOTE ? `${[...note.slice(0, MAX_NOTE - 2)].join('')}…` : note,
  );
  if (cut.length <= MAX_NOTES) return cut;
  const kept = cut.slice(0, MAX_NOTES - 1);
  return [...kept, `and ${cut.length - kept.length} more notes, which are left out here.`];
}
