import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { checkSurvey, machineOf, type SurveyDocument } from '$core/survey';
import { faultIn } from '../schemas';

// There is no Windows here, so the script is held from outside: by what it may call, and by what it writes.
const here = (name: string) => readFileSync(new URL(name, import.meta.url), 'utf8');
const source = here('./gentle-tide-survey.ps1');

/** The script without its comments and the insides of its strings; calls within "$( )" stay. */
function codeOf(text: string): string {
  return text
    .replace(/'[^'\n]*'/g, "''")
    .replace(/"[^"\n]*"/g, (string) => `"${[...string.matchAll(/\$\([^)]*\)/g)].join(' ')}"`)
    .replace(/#[^\n]*/g, '');
}
const code = codeOf(source);

/** Commands that read, or only shape what was read. */
const READING = [
  'Get-WmiObject',
  'Get-Command',
  'Get-Date',
  'Get-Disk',
  'Get-PhysicalDisk',
  'Get-Partition',
  'Get-PartitionSupportedSize',
  'Where-Object',
  'ForEach-Object',
  'Sort-Object',
  'New-Object',
  'Write-Host',
];
/** Methods of objects, and static ones; the last is the one that writes the survey. */
const METHODS = [
  'ToCharArray',
  'ToString',
  'ToLowerInvariant',
  'ToUpperInvariant',
  'ToUniversalTime',
  'Trim',
  'Load',
  'SelectSingleNode',
  'GetAttribute',
  'GetConversionStatus',
  'GetProtectionStatus',
  'Split',
  'Replace',
  'ComputeHash',
  'Push',
  'Pop',
  'WriteLine',
  'Close',
  // Made, not called: a writer, an encoding, what is told of a file.
  'StreamWriter',
  'UTF8Encoding',
  'FileInfo',
];
const STATIC = [
  'Join',
  'Format',
  'Min',
  'Exists',
  'GetFullPath',
  'Combine',
  'WriteAllText',
  'GetAttributes',
  'GetDirectories',
  'GetFiles',
  'Open',
  'Create',
  'ToString',
];

describe('the script that surveys a machine', () => {
  it('is plain ASCII, so that every Windows PowerShell reads it alike', () =>
    expect(/^[\x20-\x7e\n]*$/.test(source)).toBe(true));

  it('has balanced blocks', () => {
    const closing: Record<string, string> = { '}': '{', ')': '(', ']': '[' };
    const open: string[] = [];
    for (const char of code) {
      if ('{(['.includes(char)) open.push(char);
      else if (closing[char]) expect(open.pop()).toBe(closing[char]);
    }
    expect(open).toEqual([]);
  });

  it('calls nothing but reading commands and its own functions', () => {
    const own = [...code.matchAll(/^function ([A-Z][\w-]+)/gm)].map(([, name]) => name!);
    const called = new Set([...code.matchAll(/(?<![\w$.'-])([A-Z][A-Za-z]+-[A-Z]\w+)/g)].map(([, n]) => n!));
    expect([...called].filter((name) => !READING.includes(name) && !own.includes(name))).toEqual([]);
    for (const name of own) expect(called.has(name), `${name} is used`).toBe(true);
  });

  it('calls no method that changes anything, and writes the survey and the manifest only', () => {
    const methods = [...code.matchAll(/(?<!:)[.](\w+)\(/g)].map(([, name]) => name!);
    expect(methods.filter((name) => !METHODS.includes(name))).toEqual([]);
    const statics = [...code.matchAll(/::(\w+)\(/g)].map(([, name]) => name!);
    expect(statics.filter((name) => !STATIC.includes(name))).toEqual([]);
    expect(statics.filter((name) => name === 'WriteAllText')).toHaveLength(1);
    // Files are opened for reading; one writer is made, of the path that was asked for.
    expect(source.match(/\[IO\.File\]::Open\([^)]*\)/g)).toEqual([
      "[IO.File]::Open($file, 'Open', 'Read', 'ReadWrite')",
    ]);
    expect(source.match(/StreamWriter\(\$?\w+/g)).toEqual(['StreamWriter($path']);
    // What is made by hash is the hash itself, nothing on a disk.
    expect(source.match(/\[[\w.]+\]::Create\(/g)).toEqual(['[Security.Cryptography.SHA256]::Create(']);
    // No call operator, no redirection, no other program, no alias that runs something.
    expect(code).not.toMatch(
      /(^|[\s;{(|])[&.] ?['"$]|>>?\s*\S*\$|\.exe\b|\b(iex|icm|saps|sc|rm|del|copy|move)\b/im,
    );
  });

  it('uses nothing that Windows PowerShell 2.0 does not know', () =>
    expect(code).not.toMatch(/\[ordered\]|\[pscustomobject\]|ConvertTo-Json|Get-CimInstance|\s-n?in\s/i));
});

describe.each(['modern', 'older'])('a survey as the script writes it: %s', (name) => {
  const survey = JSON.parse(here(`./test/${name}.json`)) as SurveyDocument;

  it('is accepted by the survey reader', () => {
    expect(faultIn('survey', survey)).toBeNull();
    expect(checkSurvey(survey)).toEqual([]);
    const windows = machineOf(survey).disks[0]!.partitions.filter((one) => one.role === 'windows');
    expect(windows.map((one) => one.letter)).toEqual(['C']);
  });

  it('has only fields that the script writes', () => {
    const written = new Set([...source.matchAll(/(?:^|[\s{;.])(\w+) = /gm)].map(([, field]) => field!));
    const fields = (value: unknown): string[] =>
      Array.isArray(value)
        ? value.flatMap(fields)
        : value !== null && typeof value === 'object'
          ? Object.entries(value).flatMap(([field, inside]) => [field, ...fields(inside)])
          : [];
    expect(fields(survey).filter((field) => !written.has(field))).toEqual([]);
  });
});
