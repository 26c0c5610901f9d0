/// <reference no-default-lib="true"/>
/// <reference lib="esnext" />
/// <reference lib="webworker" />
/// <reference types="@sveltejs/kit" />
import { build, files, version } from '$service-worker';
import { isWhole } from '$ui/sheet/isWhole';
import { writeOfflinePage } from '$ui/sheet/offlinePage';

/**
 * Keeps the application and the sheets that were looked at on the device, so that a tablet beside a machine goes on
 * without the server: through a reload, and for a day and longer. Nothing of the API is kept, and nothing is sent from
 * here: what was ticked waits in the page's own storage.
 */
const worker = self as unknown as ServiceWorkerGlobalScope;

const ASSETS = `assets-${version}`;
/** Begins with what signing out looks for (ui/people/leave.ts). */
const PAGES = 'pages-1';
/** A page that is kept, as the page that was kept says so. */
const KEPT_AT = 'x-kept-at';
/**
 * Sheets that are kept; the one that was looked at longest ago goes first. Milliseconds after which none is good any
 * more.
 */
const MAX_PAGES = 20;
const LONGEST = 14 * 24 * 60 * 60 * 1000;
/** Milliseconds that the server has before the kept page is shown; it is a tablet in a hand. */
const PATIENCE = 4000;

const assets = new Set([...build, ...files]);

worker.addEventListener('install', (event) => {
  event.waitUntil(caches.open(ASSETS).then((cache) => cache.addAll([...assets])));
});

worker.addEventListener('activate', (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys())
        if (name !== ASSETS && name !== PAGES) await caches.delete(name);
      await worker.clients.claim();
    })(),
  );
});

/** A sheet of a job, as page or as the data of one. */
const isSheet = ({ pathname }: URL): boolean => /^\/jobs\/\d+\/sheet(\/__data\.json)?$/.test(pathname);
/** Which sheet; that a part of the data is asked for anew does not matter. */
const keyOf = ({ pathname, searchParams }: URL): string => {
  const sheet = searchParams.get('sheet');
  return sheet === null ? pathname : `${pathname}?sheet=${encodeURIComponent(sheet)}`;
};

worker.addEventListener('fetch', (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== 'GET' || url.origin !== location.origin) return;
  if (assets.has(url.pathname)) event.respondWith(fromCacheFirst(request, url.pathname));
  else if (isSheet(url)) event.respondWith(fromServerFirst(request, keyOf(url)));
  else if (request.mode === 'navigate') event.respondWith(fetch(request).catch(unreachable));
});

/** A page asks for a sheet to be kept: it came without its document, as the next screen of another. */
worker.addEventListener('message', (event) => {
  const { keep } = (event.data ?? {}) as { keep?: unknown };
  if (typeof keep !== 'string') return;
  const url = new URL(keep, location.origin);
  if (url.origin === location.origin && isSheet(url)) event.waitUntil(keepPage(url).catch(() => undefined));
});

async function fromCacheFirst(request: Request, path: string): Promise<Response> {
  const cache = await caches.open(ASSETS);
  return (await cache.match(path)) ?? fetch(request);
}

async function fromServerFirst(request: Request, key: string): Promise<Response> {
  const kept = await keptPage(key);
  try {
    const response = await (kept ? withinPatience(fetch(request)) : fetch(request));
    // 502 to 504: what stands in front of the server answers for it.
    if (kept && response.status >= 502 && response.status <= 504) return kept;
    if (response.type === 'basic' && (await isWhole(response))) await put(key, response.clone());
    return response;
  } catch {
    return kept ?? (request.mode === 'navigate' ? unreachable() : Response.error());
  }
}

const withinPatience = <T>(outcome: Promise<T>): Promise<T> =>
  Promise.race([
    outcome,
    new Promise<never>((_, reject) => setTimeout(() => reject(new Error('too slow')), PATIENCE)),
  ]);

async function keepPage(url: URL): Promise<void> {
  const response = await fetch(url, { headers: { accept: 'text/html' }, redirect: 'error' });
  if (await isWhole(response)) await put(keyOf(url), response);
}

async function put(key: string, response: Response): Promise<void> {
  const headers = new Headers(response.headers);
  headers.set(KEPT_AT, String(Date.now()));
  const cache = await caches.open(PAGES);
  const body = await response.arrayBuffer();
  await cache.delete(key);
  await cache.put(key, new Response(body, { status: response.status, headers }));
  const keys = await cache.keys();
  for (const old of keys.slice(0, Math.max(0, keys.length - MAX_PAGES))) await cache.delete(old);
}

async function keptPage(key: string): Promise<Response | null> {
  const found = await (await caches.open(PAGES)).match(key);
  return found && Date.now() - Number(found.headers.get(KEPT_AT)) < LONGEST ? found : null;
}

/** What is shown in the place of a page that was not kept: which were. */
async function unreachable(): Promise<Response> {
  const keys = await (await caches.open(PAGES)).keys();
  const kept = keys.map(({ url }) => new URL(url)).filter(({ pathname }) => !pathname.endsWith('.json'));
  return new Response(writeOfflinePage(kept.map(({ pathname, search }) => pathname + search)), {
    status: 503,
    headers: { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store' },
  });
}
