import { readScript, type Node } from '../../test/powershellGrammar';

/** One character, as drive letters are: as a number its code, 0 for none. */
export class Char {
  constructor(readonly code: number) {}
  toString(): string {
    return String.fromCharCode(this.code);
  }
}
/** Values of a script: `undefined` is $null. */
export type Value =
  string | number | boolean | undefined | Char | Block | Value[] | { [name: string]: Value };
class Block {
  constructor(readonly body: Node) {}
}

/**
 * A command: what came through the pipe, its parameters by lower-case name, and what has no name. A method of a type is
 * called `[name]::method`, in lower case; what it is given has no names.
 */
export type ShellCommand = (call: { input: Value[]; named: Record<string, Value>; loose: Value[] }) => Value;

/** A script's own end, by `throw`. */
export class Thrown extends Error {}

/** Refusal of a command; a script may catch it. */
export class Refused extends Error {}

/**
 * Runs a script as PowerShell does, as far as work sheets need it, on commands that the caller gives. The grammar is
 * not ours: what it does not read is no script. Names and the comparison of texts do not tell case, as there.
 *
 * @returns what the script says
 * @throws Thrown where it ends itself; Error for anything that is no PowerShell or not known here
 */
export function runScript(text: string, commands: Readonly<Record<string, ShellCommand>>): Value[] {
  return new Run(commands).statements(readScript(text));
}

const many = (value: Value): Value[] => (Array.isArray(value) ? value : value === undefined ? [] : [value]);
const one = (values: Value[]): Value => (values.length > 1 ? values : values[0]);
const isTrue = (value: Value): boolean => (Array.isArray(value) ? value.length > 0 : !!value);
const asText = (value: Value): string => (value === undefined ? '' : String(value as string));
const asNumber = (value: Value): number =>
  value instanceof Char ? value.code : value === undefined ? 0 : Number(value);

/** Compares as the left side is: a number with numbers, a text with texts; nothing is equal to nothing only. */
function compare(operator: string, left: Value, right: Value): boolean {
  if (left === undefined || right === undefined) {
    if (operator === '-eq') return left === right;
    if (operator === '-ne') return left !== right;
  }
  const [a, b] =
    typeof left === 'number'
      ? [left, asNumber(right)]
      : [asText(left).toLowerCase(), asText(right).toLowerCase()];
  const results: Record<string, boolean> = {
    '-eq': a === b,
    '-ne': a !== b,
    '-lt': a < b,
    '-le': a <= b,
    '-gt': a > b,
    '-ge': a >= b,
    // The part that is used: a beginning, then anything.
    '-like': String(b).endsWith('*') && String(a).startsWith(String(b).slice(0, -1)),
  };
  const result = results[operator];
  if (result === undefined) throw new Error(`the operator ${operator} is not known here`);
  return result;
}

class Run {
  private readonly variables: Record<string, Value> = { true: true, false: false, lastexitcode: 0 };

  constructor(private readonly commands: Readonly<Record<string, ShellCommand>>) {}

  statements(node: Node): Value[] {
    const kinds = ['statement_list', 'statement_block', 'script_block', 'script_block_body', 'program'];
    if (!kinds.includes(node.type)) return many(this.statement(node));
    return node.namedChildren.flatMap((child) => (child ? this.statements(child) : []));
  }

  private statement(node: Node): Value {
    const [first, second] = node.namedChildren as [Node, Node];
    switch (node.type) {
      case 'comment':
        return undefined;
      case 'if_statement':
        if (isTrue(this.value(first))) return this.statements(second);
        return node.namedChildren[2] ? this.statements(node.namedChildren[2].namedChildren[0]!) : undefined;
      case 'try_statement':
        try {
          return this.statements(first);
        } catch (error) {
          if (!(error instanceof Thrown || error instanceof Refused)) throw error;
          return this.statements(second.namedChildren[0]!.namedChildren[0]!);
        }
      case 'while_statement': {
        const said: Value[] = [];
        while (isTrue(this.value(first.namedChildren[0]!))) said.push(...this.statements(second));
        return said;
      }
      case 'flow_control_statement':
        if (!node.text.startsWith('throw')) throw new Error(`not known here: ${node.text}`);
        throw new Thrown(asText(this.value(first)));
      default:
        return this.value(node);
    }
  }

  private value(node: Node): Value {
    const children = node.namedChildren as Node[];
    const [first, second] = children as [Node, Node];
    const operator = (): string => node.children.find((child) => /^[-+]/.test(child?.text ?? ''))!.text;
    switch (node.type) {
      case 'assignment_expression':
        this.variables[first.text.slice(1).toLowerCase()] = this.value(children[2]!);
        return undefined;
      case 'empty_statement':
        return undefined;
      case 'pipeline_chain':
        // An expression alone stays what it is; what comes through a pipe is one thing where it is only one.
        if (children.length === 1 && first.type !== 'command') return this.value(first);
        return one(children.reduce<Value[]>((input, stage) => many(this.stage(stage, input)), []));
      case 'command':
        return this.stage(node, []);
      case 'variable':
        return this.variables[node.text.slice(1).toLowerCase()];
      case 'decimal_integer_literal':
      case 'hexadecimal_integer_literal':
        return Number(node.text);
      case 'verbatim_string_characters':
        // Two quotes of whichever of the five kinds stand for one.
        return node.text
          .slice(1, -1)
          .replace(/(['\u2018\u2019\u201a\u201b])['\u2018\u2019\u201a\u201b]/g, '$1');
      case 'generic_token':
        return node.text;
      case 'script_block_expression':
        return new Block(first);
      case 'array_expression':
        return this.statements(first);
      case 'parenthesized_expression':
        return this.value(first);
      case 'cast_expression':
        return cast(first.text, this.value(second));
      case 'expression_with_unary_operator':
        if (first.type === 'cast_expression') return this.value(first);
        if (operator() !== '-not') throw new Error(`not known here: ${node.text}`);
        return !isTrue(this.value(first));
      case 'element_access':
        return many(this.value(first))[asNumber(this.value(second))];
      case 'member_access':
        if (node.text === '[IntPtr]::Zero') return 0;
        return this.member(this.value(first), second.text);
      case 'invokation_expression':
        return this.method(first, second.text, this.given(children[2]!));
      case 'array_literal_expression':
        return children.length === 1 ? this.value(first) : children.map((child) => this.value(child));
      case 'logical_expression':
        if (children.length === 1) return this.value(first);
        return operator().toLowerCase() === '-and'
          ? isTrue(this.value(first)) && isTrue(this.value(second))
          : isTrue(this.value(first)) || isTrue(this.value(second));
      case 'comparison_expression':
        if (children.length === 1) return this.value(first);
        return compare(second.text.toLowerCase(), this.value(first), this.value(children[2]!));
      case 'additive_expression': {
        if (children.length === 1) return this.value(first);
        const [a, b] = [this.value(first), this.value(second)];
        return typeof a === 'number' ? a + asNumber(b) : asText(a) + asText(b);
      }
      default:
        // Levels of precedence that hold nothing of their own.
        if (children.length === 1) return this.value(first);
        throw new Error(`not known here: ${node.type} ${node.text}`);
    }
  }

  private stage(node: Node, input: Value[]): Value {
    if (node.type !== 'command') return this.value(node);
    const [head] = node.namedChildren as [Node];
    if (head.type === 'command_invokation_operator') {
      const block = this.value(node.namedChildren[1]!.namedChildren[0]!) as Block;
      return this.statements(block.body);
    }
    const call = { input, named: {} as Record<string, Value>, loose: [] as Value[] };
    let name = '';
    const elements = node.namedChildren.find((child) => child?.type === 'command_elements');
    for (const element of (elements?.namedChildren ?? []) as Node[]) {
      if (element.type === 'command_argument_sep') continue;
      if (element.type === 'command_parameter') {
        name = element.text.slice(1).toLowerCase();
        call.named[name] = true;
      } else {
        if (name) call.named[name] = this.value(element);
        else call.loose.push(this.value(element));
        name = '';
      }
    }
    const key = head.text.toLowerCase();
    if (key === 'where-object') return this.where(input, call.loose[0] as Block);
    if (key === 'out-null') return undefined;
    const command = this.commands[key];
    if (!command) throw new Error(`there is no command ${head.text} here`);
    const result = command(call);
    if (!key.endsWith('.exe')) return result;
    this.variables['lastexitcode'] = asNumber(result);
    return undefined;
  }

  private where(input: Value[], test: Block): Value[] {
    return input.filter((item) => {
      this.variables['_'] = item;
      return isTrue(one(this.statements(test.body)));
    });
  }

  private member(of: Value, name: string): Value {
    if (Array.isArray(of)) {
      if (name.toLowerCase() === 'count') return of.length;
      return one(of.flatMap((item) => many(this.member(item, name))));
    }
    if (typeof of !== 'object' || of instanceof Char || of instanceof Block) return undefined;
    const key = Object.keys(of).find((known) => known.toLowerCase() === name.toLowerCase());
    if (key === undefined) throw new Error(`nothing here has ${name}`);
    return of[key];
  }

  private given(list: Node): Value[] {
    return (list.namedChildren[0]?.namedChildren ?? []).map((argument) => this.value(argument!));
  }

  private method(of: Node, name: string, given: Value[]): Value {
    if (of.type === 'type_literal') {
      if (of.text === '[BitConverter]' && name === 'ToString') return dashed(many(given[0]));
      const method = this.commands[`${of.text}::${name}`.toLowerCase()];
      if (!method) throw new Error(`there is no ${of.text}::${name} here`);
      return method({ input: [], named: {}, loose: given });
    }
    const on = this.value(of);
    if (name === 'Close') return undefined;
    const text = asText(on);
    if (name === 'ToUpper') return text.toUpperCase();
    if (name !== 'Trim' && name !== 'TrimEnd') throw new Error(`the method ${name} is not known here`);
    const off = given.length > 0 ? asText(given[0]) : ' \t\r\n\0';
    const kept = [...text].map((char) => !off.includes(char));
    return text.slice(name === 'Trim' ? Math.max(0, kept.indexOf(true)) : 0, kept.lastIndexOf(true) + 1);
  }
}

/** Bytes as [BitConverter]::ToString writes them. */
const dashed = (bytes: readonly Value[]): string =>
  bytes.map((byte) => asNumber(byte).toString(16).toUpperCase().padStart(2, '0')).join('-');

function cast(type: string, value: Value): Value {
  if (type === '[ref]') return value;
  if (type === '[byte[]]') return many(value).map(asNumber);
  return ['[int]', '[uint32]'].includes(type) ? asNumber(value) : asText(value);
}
