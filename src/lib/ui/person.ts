/** The cookie in which this browser keeps who works with it; the server reads it for the history. */
const COOKIE = 'person';
const YEAR = 365 * 24 * 60 * 60;

/** Who works at this device; empty where nobody said. */
export const readPersonHere = (): string => {
  const found = document.cookie.split('; ').find((part) => part.startsWith(`${COOKIE}=`));
  return found ? decodeURIComponent(found.slice(COOKIE.length + 1)) : '';
};

export const keepPerson = (name: string): void => {
  document.cookie = `${COOKIE}=${encodeURIComponent(name.trim().slice(0, 100))}; path=/; max-age=${YEAR}; samesite=lax`;
};
