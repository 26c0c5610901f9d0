/** One or two letters for a person: the first of the first and of the last word. */
export function initials(name: string): string {
  const words = name.trim().split(/\s+/);
  const letters = [words[0], words.length > 1 ? words.at(-1) : undefined].map(
    (word) => [...(word ?? '')][0] ?? '',
  );
  return letters.join('').toUpperCase();
}
