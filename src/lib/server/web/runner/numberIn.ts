/** The number that a part of an address is; 0 where it is none. */
export const numberIn = (text: string | null | undefined): number =>
  /^\d{1,9}$/.test(text ?? '') ? Number(text) : 0;
