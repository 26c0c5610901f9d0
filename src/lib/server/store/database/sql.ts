/** Words as a list of SQL; they are ours, never from outside. */
export const quoteList = (list: readonly string[]): string => list.map((one) => `'${one}'`).join(', ');
