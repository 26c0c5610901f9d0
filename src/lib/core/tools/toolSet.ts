import type { Kit, Tool } from './tools';

declare const BITS: unique symbol;
/** A set of tools of one kit: bit i stands for the kit's i-th tool. */
export type ToolSet = number & { readonly [BITS]: true };

const setOf = (bits: number): ToolSet => bits as ToolSet;

export const NO_TOOLS = setOf(0);

/** The tools of a kit that can do something. */
export const selectTools = (kit: Kit, can: (tool: Tool) => boolean): ToolSet =>
  setOf(kit.tools.reduce((bits, tool, i) => (can(tool) ? bits | (1 << i) : bits), 0));

export const selectAllTools = (kit: Kit): ToolSet => setOf((1 << kit.tools.length) - 1);

/** Windows alone, which is in every kit; none in a kit that somebody made without it. */
export const windowsAlone = (kit: Kit): ToolSet => selectTools(kit, ({ id }) => id === 'windows');

export const hasTool = (set: ToolSet, index: number): boolean => (set & (1 << index)) !== 0;
export const listTools = (kit: Kit, set: ToolSet): Tool[] => kit.tools.filter((_, i) => hasTool(set, i));

export const either = (a: ToolSet, b: ToolSet): ToolSet => setOf(a | b);
export const both = (a: ToolSet, b: ToolSet): ToolSet => setOf(a & b);
export const without = (a: ToolSet, b: ToolSet): ToolSet => setOf(a & ~b);
