import type { Script } from '..';
import { runScript, Thrown } from './powershell';
import type { WindowsMachine } from './windowsMachine';

/** Output of a script, or the sentence with which it ended itself. */
export function outcomeOf(
  { text }: Script,
  machine: WindowsMachine,
): { said: unknown[] } | { stopped: string } {
  try {
    return { said: runScript(text, machine.commands) };
  } catch (error) {
    if (error instanceof Thrown) return { stopped: error.message };
    throw error;
  }
}
