import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nodesOf, readScript } from '$core/test/powershellGrammar';
import { DEVICE_CALLS } from '$core/steps/powershell/attributes';
import { HoldingsShape, type Holdings } from '$core/holdings';
import { checkSurvey, machineOf, type SurveyDocument } from '$core/survey';
import { escapeHalves } from '$core/wellFormed';
import { findFaults } from '../platform/validation/schemas';
import { weigh } from '../work/holdings/weigh';

// There is no Windows here, so the script is held from outside: by what it may call, and by what it writes.
const here = (name: string) => readFileSync(new URL(name, import.meta.url), 'utf8');
const source = here('./gentle-tide-survey.ps1');

const script = readScript(source);
const textsOf = (...types: string[]): string[] => nodesOf(script, ...types).map(({ text }) => text);

/** Commands that read, or only shape what was read. */
const READING = [
  'Add-Type',
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
/**
 * Methods of objects, and static ones; `WriteAllText` is the one that writes a document, `Add` adds to lists in memory.
 */
const METHODS = [
  'Add',
  'Close',
  'Combine',
  'CompareOrdinal',
  'ComputeHash',
  'Contains',
  'Create',
  'CreateFile',
  'DeviceIoControl',
  'Exists',
  'Format',
  'GetAttribute',
  'GetAttributes',
  'GetConversionStatus',
  'GetDirectories',
  'GetFileInformationByHandle',
  'GetFileSystemInfos',
  'GetFiles',
  'GetFullPath',
  'GetProtectionStatus',
  'Join',
  'Load',
  'Min',
  'Open',
  'Pop',
  'Push',
  'Replace',
  'SelectSingleNode',
  'Split',
  'StartsWith',
  'ToCharArray',
  'ToLowerInvariant',
  'ToString',
  'ToUInt32',
  'ToUInt64',
  'ToUniversalTime',
  'ToUpperInvariant',
  'Trim',
  'WriteAllText',
  'WriteLine',
];

describe('the script that surveys a machine', () => {
  it('is plain ASCII, so that every Windows PowerShell reads it alike', () =>
    expect(/^[\x20-\x7e\n]*$/.test(source)).toBe(true));

  it('calls nothing but reading commands and its own functions', () => {
    const own = textsOf('function_name');
    const called = textsOf('command_name');
    expect(called.filter((name) => !READING.includes(name) && !own.includes(name))).toEqual([]);
    for (const name of own) expect(called, `${name} is used`).toContain(name);
    // No call operator, no name made up while it runs, no redirection.
    expect(textsOf('command_invokation_operator', 'command_name_expr', 'redirection')).toEqual([]);
  });

  it('calls no method that changes anything, and writes the survey, the holdings and the manifest only', () => {
    const called = nodesOf(script, 'invokation_expression').map(
      (call) => call.namedChildren.find((child) => child?.type === 'member_name')?.text ?? call.text,
    );
    expect(called.filter((name) => !METHODS.includes(name))).toEqual([]);
    expect(called.filter((name) => name === 'WriteAllText')).toHaveLength(1);
    expect(source.match(/Write-Document \S+/g)).toEqual(['Write-Document @{', 'Write-Document $survey']);
    const calls = textsOf('invokation_expression');
    // Files are opened for reading; one writer is made, of the path that was asked for.
    expect(calls.filter((call) => call.startsWith('[IO.File]::Open('))).toEqual([
      "[IO.File]::Open($file, 'Open', 'Read', 'ReadWrite')",
    ]);
    expect(source.match(/StreamWriter\(\$?\w+/g)).toEqual(['StreamWriter($path']);
    // What is made by hash is the hash itself, nothing on a disk.
    expect(calls.filter((call) => /::Create\(/.test(call) && !call.includes('ComputeHash'))).toEqual([
      '[Security.Cryptography.SHA256]::Create()',
    ]);
  });

  it('asks the driver for the layout of a disk, through a handle that may neither read nor write, and calls no more of it', () => {
    const calls = textsOf('invokation_expression').filter((call) => call.includes('GentleTide.Device'));
    expect(calls).toEqual([
      '[GentleTide.Device]::CreateFile("\\\\.\\PhysicalDrive$disk", 0, 3, [IntPtr]::Zero, 3, 0, [IntPtr]::Zero)',
      '[GentleTide.Device]::DeviceIoControl($device, 0x70050, $null, 0, $layout, 147504, [ref]$count, [IntPtr]::Zero)',
    ]);
    // The same two declarations as in a work sheet, and for files the first of them again.
    const declared = textsOf('verbatim_string_characters').filter((text) => text.includes('DllImport'));
    expect(declared.slice(0, 3)).toEqual([...DEVICE_CALLS, DEVICE_CALLS[0]].map((call) => `'${call}'`));
    expect(declared).toHaveLength(4);
    expect(textsOf('command').filter((text) => text.startsWith('Add-Type'))).toEqual([
      'Add-Type -Namespace GentleTide -Name Device -MemberDefinition ($open + $ask)',
      'Add-Type -Namespace GentleTide -Name Names -MemberDefinition ($open + $names)',
    ]);
  });

  it('asks a file how many names it has, through a handle that may neither read nor write', () => {
    const calls = textsOf('invokation_expression').filter((call) => call.includes('GentleTide.Names'));
    expect(calls).toEqual([
      '[GentleTide.Names]::CreateFile($file, 0, 7, [IntPtr]::Zero, 3, 0x00200000, [IntPtr]::Zero)',
      '[GentleTide.Names]::GetFileInformationByHandle($handle, $known)',
    ]);
  });

  it('escapes halves of surrogate pairs as this program does, by the very same patterns', () => {
    // .NET and JavaScript read these alike; they stand in single quotes, in which PowerShell reads nothing.
    const [pair, half] = [/Replace\(\[string\]\$text, '([^']+)', '([^']+)'\)/, /\$half = '([^']+)'/].map(
      (pattern) => pattern.exec(source)!,
    );
    const byScript = (text: string): string =>
      text
        .replace(new RegExp(pair![1]!, 'g'), pair![2]!)
        .replace(
          new RegExp(half![1]!, 'g'),
          (found) => `\\u${found.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}`,
        );
    const unit = fc.oneof(
      fc.constantFrom('\\', 'u', 'D83D', 'D', '8', '005C', '🥐'),
      fc.integer({ min: 0xd700, max: 0xe0ff }).map((code) => String.fromCharCode(code)),
    );
    fc.assert(
      fc.property(fc.array(unit, { maxLength: 12 }), (units) => {
        const text = units.join('');
        expect(byScript(text)).toBe(escapeHalves(text));
      }),
    );
  });

  it('uses nothing that Windows PowerShell 2.0 does not know', () => {
    const since = ['[ordered]', '[pscustomobject]', '-in', '-notin', '-shl', '-shr'];
    const used = textsOf('type_literal', 'comparison_operator', 'member_name').map((text) =>
      text.toLowerCase(),
    );
    expect(used.length).toBeGreaterThan(100);
    expect(used.filter((text) => since.includes(text))).toEqual([]);
  });
});

/** Fields of a document, however deep. */
const fieldsOf = (value: unknown): string[] =>
  Array.isArray(value)
    ? value.flatMap(fieldsOf)
    : value !== null && typeof value === 'object'
      ? Object.entries(value).flatMap(([field, inside]) => [field, ...fieldsOf(inside)])
      : [];
const WRITTEN = new Set([...source.matchAll(/(?:^|[\s{;.])(\w+) = /gm)].map(([, field]) => field!));

describe('holdings as the script writes them', () => {
  const holdings = JSON.parse(here('./test/holdings.json')) as Holdings;

  it('are accepted, fit the survey that is written with them, and tell what can go', () => {
    expect(findFaults('holdings', holdings)).toEqual([]);
    const survey = JSON.parse(here('./test/modern.json')) as SurveyDocument;
    const found = weigh({ survey, holdings });
    if (!found.ok) throw new Error(found.problems[0]!.message);
    expect(found.value.found[0]!.goes.map(({ id }) => id)).toEqual([
      'earlier-windows',
      'hibernation',
      'restore-points',
      'old-downloads',
      'temporary',
    ]);
  });

  it('have only fields that the script writes, and all of them', () => {
    const fields = new Set(fieldsOf(holdings));
    expect([...fields].filter((field) => !WRITTEN.has(field))).toEqual([]);
    const required = Object.keys(HoldingsShape.properties.volumes.items.properties);
    for (const field of required) expect([field, fields.has(field)]).toEqual([field, true]);
  });
});

describe.each(['modern', 'older'])('a survey as the script writes it: %s', (name) => {
  const survey = JSON.parse(here(`./test/${name}.json`)) as SurveyDocument;

  it('is accepted by the survey reader', () => {
    expect(findFaults('survey', survey)).toEqual([]);
    expect(checkSurvey(survey)).toEqual([]);
    const windows = machineOf(survey).disks[0]!.partitions.filter((one) => one.role === 'windows');
    expect(windows.map((one) => one.letter)).toEqual(['C']);
  });

  it('has only fields that the script writes', () => {
    expect(fieldsOf(survey).filter((field) => !WRITTEN.has(field))).toEqual([]);
  });
});
