import { dev } from '$app/environment';

/**
 * Asks that a sheet be kept on this device as it is now. Where there is no service worker (a browser without one, a
 * page without encryption) nothing is, and the sheet says so by itself once the server is away.
 */
export function keepSheet(path: string): void {
  void navigator.serviceWorker?.ready
    .then(({ active }) => active?.postMessage({ keep: path }))
    .catch(() => undefined);
}

/**
 * Has the service worker keep the application and the sheets, where the browser can: over HTTPS, or on the computer
 * itself.
 */
export function keepSheets(): void {
  if (!navigator.serviceWorker || location.pathname === '/trust') return;
  void navigator.serviceWorker
    .register('/service-worker.js', dev ? { type: 'module' } : undefined)
    .catch(() => undefined);
}
