import { call } from '$contract/client';

/** Signs out, and forgets what this device kept of the sheets; ticks that wait to be sent stay until they are. */
export async function leave(): Promise<void> {
  const reply = await call('POST /sign-out');
  if (!reply.ok) return;
  await forgetPages();
  location.assign('/sign-in');
}

/** Pages that were kept for a time without the server are another person's from now on. */
export async function forgetPages(): Promise<void> {
  if (!('caches' in globalThis)) return;
  for (const name of await caches.keys()) if (name.startsWith('pages')) await caches.delete(name);
}
