/** A server that takes everything that is saved; what it was sent. */
export function savingServer(): {
  sent: { method: string; path: string; body: unknown }[];
  fetch: typeof fetch;
} {
  const sent: { method: string; path: string; body: unknown }[] = [];
  return {
    sent,
    fetch: (path, init) => {
      const body: unknown = typeof init?.body === 'string' ? JSON.parse(init.body) : null;
      sent.push({ method: init?.method ?? 'GET', path: String(path as string), body });
      return Promise.resolve(Response.json({ id: 9, number: 2614, version: 5, edition: sent.length + 1 }));
    },
  };
}
