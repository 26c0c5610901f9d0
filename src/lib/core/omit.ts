/** The same object without some of its fields. */
export const omit = <T extends object, K extends keyof T>(from: T, ...fields: K[]): Omit<T, K> =>
  Object.fromEntries(Object.entries(from).filter(([name]) => !fields.includes(name as K))) as Omit<T, K>;
