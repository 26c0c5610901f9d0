import { isZero, type Device } from '../devices/device';
import { MemoryDevice } from '../devices/memory';
import { RouteRun, type RunHooks, type RunSetup } from '../run';
import type { Outcome } from '../../problem';

/** Whatever is not of interest to a test. */
type Setup = Partial<RunSetup> & Pick<RunSetup, 'disk' | 'steps'>;

let runs = 0;

/** A run on devices in memory: a new one where the journal is empty, else the one that it tells of. */
export async function openRun(setup: Setup, hooks: RunHooks = {}): Promise<Outcome<RouteRun>> {
  const whole: RunSetup = {
    journal: new MemoryDevice(0),
    aside: asideInMemory(),
    route: 'test',
    newId: (step) => `47540000-0000-4000-8000-00000000A${String(step).padStart(3, '0')}`,
    ...setup,
  };
  const { journal } = whole;
  return isZero(await journal.read(0, Math.min(512, journal.size)))
    ? RouteRun.begin(whole, { run: `run ${++runs}`, begunAt: '2026-12-01T09:00:00Z', stock: null }, hooks)
    : RouteRun.resume(whole, hooks);
}

function asideInMemory(): (name: string) => Promise<Device> {
  const devices = new Map<string, MemoryDevice>();
  return async (name) => {
    const device = devices.get(name) ?? new MemoryDevice(0);
    devices.set(name, device);
    return device;
  };
}
