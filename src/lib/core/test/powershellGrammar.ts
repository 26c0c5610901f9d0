import { createRequire } from 'node:module';
import { Language, Parser, type Node } from 'web-tree-sitter';

await Parser.init();
const grammar = createRequire(import.meta.url).resolve('tree-sitter-powershell/tree-sitter-powershell.wasm');
const parser = new Parser();
parser.setLanguage(await Language.load(grammar));

/** Reads a script by a grammar of PowerShell that is not ours. @throws Error where it is none */
export function readScript(text: string): Node {
  const root = parser.parse(text)?.rootNode;
  if (!root || root.hasError) throw new Error(`no PowerShell: ${text}`);
  return root;
}

/** All nodes of one of these types, in their order. */
export const nodesOf = (root: Node, ...types: string[]): Node[] =>
  root.descendantsOfType(types).filter((node) => node !== null);

export type { Node };
