import { bytesOf } from '../disk';
import { donorBound } from './floors';
import type { Task } from './request';
import type { Choice } from './search/materialize';
import { canExtend, canMove, canShrink, movesAtRestart, type Kit, type Tool } from './tools';

/**
 * The same steps with the tools of another kit, or null where one of them is beyond all of its tools. What one kit
 * was found to do is a good beginning for the next.
 */
export function retooled(task: Task, kit: Kit, choices: readonly Choice[]): Choice[] | null {
  const { disk } = task;
  const set = (can: (tool: Tool) => boolean): number =>
    kit.tools.reduce((tools, tool, i) => (can(tool) ? tools | (1 << i) : tools), 0);
  const decrypted = new Set<number>();
  const sources = sourcesOf(choices);
  const next: Choice[] = [];
  for (const { step } of choices) {
    const found = disk.partitions.find((partition) => partition.number === step.partition);
    const touched = { decrypted: found !== undefined && decrypted.has(found.number) };
    const can = (tool: Tool): boolean => {
      switch (step.verb) {
        case 'decrypt':
        case 'set-aside':
        case 'put-back':
          return tool.id === 'windows';
        case 'move':
          // What the route itself made is a data volume like the one whose files it holds.
          return found ? canMove(tool, found, touched) : tool.moves.includes('data');
        case 'extend':
          return found !== undefined && canExtend(tool, found, touched);
        case 'shrink': {
          if (!found || !canShrink(tool, found, touched)) return false;
          if (found.kind === 'extended') return true;
          const bound = donorBound(disk, found, task.keepFree, tool.floor);
          return bound !== null && bound <= bytesOf(disk, step.to);
        }
        case 'create': {
          // A new volume keeps to the floor of the tool that makes it.
          const source = disk.partitions.find((one) => one.number === sources.get(step.partition));
          const bound = source && donorBound(disk, source, task.keepFree, tool.floor);
          return bound != null && bound <= bytesOf(disk, step.to);
        }
        default:
          return true;
      }
    };
    const tools = set(can);
    if (tools === 0) return null;
    if (step.verb === 'decrypt') decrypted.add(step.partition);
    const waiting = step.verb === 'move' && found ? set((tool) => movesAtRestart(tool, found)) : 0;
    next.push({ step, tools, waiting });
  }
  return next;
}

/** Which partition's files come to lie in each that the route makes, by number. */
function sourcesOf(choices: readonly Choice[]): Map<number, number> {
  const sources = new Map<number, number>();
  for (const { step } of choices) {
    if (step.verb !== 'copy') continue;
    if (step.into === undefined) sources.set(step.partition, step.of);
    else if ('partition' in step.into) sources.set(step.into.partition, step.partition);
  }
  return sources;
}
