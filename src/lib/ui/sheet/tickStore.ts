import type { Tick } from '$core/worksheet';

/** The ticks of both, each once. */
export const merged = (known: readonly Tick[], more: readonly Tick[]): Tick[] => [
  ...known,
  ...without(more, known),
];

export const without = (ticks: readonly Tick[], gone: readonly Tick[]): Tick[] => {
  const ids = new Set(gone.map((tick) => tick.id));
  return ticks.filter((tick) => !ids.has(tick.id));
};

export const formatNow = (): string => new Date().toISOString();

/** A UUID; also where the page came without encryption, over which browsers give no ready-made one. */
export function uuid(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6]! & 0x0f) | 0x40;
  bytes[8] = (bytes[8]! & 0x3f) | 0x80;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('');
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-');
}

export function read<T>(key: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? 'null') as T | null;
  } catch {
    return null;
  }
}

export const write = (key: string, value: unknown): void => localStorage.setItem(key, JSON.stringify(value));
