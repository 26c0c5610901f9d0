import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { scriptAttributes } from './attributes';

// The operating system's own interface as another project writes it down: the headers of a compiler for Windows
// (Debian's mingw-w64-common). No Windows is here to ask, and a code that is remembered wrongly does nothing without
// saying so.
const HEADERS = '/usr/share/mingw-w64/include';
const winioctl = readFileSync(`${HEADERS}/winioctl.h`, 'latin1');
const ntddvol = readFileSync(`${HEADERS}/ntddvol.h`, 'latin1');
const collector = readFileSync(
  new URL('../../../server/collector/gentle-tide-survey.ps1', import.meta.url),
  'utf8',
);

const DEVICES: Record<string, number> = { IOCTL_VOLUME_BASE: 'V'.charCodeAt(0), IOCTL_DISK_BASE: 7 };
const ACCESS: Record<string, number> = { FILE_ANY_ACCESS: 0, FILE_READ_ACCESS: 1, FILE_WRITE_ACCESS: 2 };

/** A control code as a header defines it: CTL_CODE(device, function, METHOD_BUFFERED, access). */
function codeIn(header: string, name: string): number {
  const found = new RegExp(
    `#define ${name}\\s*\\\\?\\s*CTL_CODE\\s*\\((\\w+),\\s*(\\w+),\\s*METHOD_BUFFERED,\\s*([\\w |]+)\\)`,
  ).exec(header);
  if (!found) throw new Error(`the header does not define ${name}`);
  const [, device, call, access] = found as unknown as [string, string, string, string];
  const rights = access.split('|').reduce((sum, one) => sum | ACCESS[one.trim()]!, 0);
  return (DEVICES[device]! << 16) | (rights << 14) | (Number(call) << 2);
}

/** The fields of a structure, in their order. */
function fieldsIn(header: string, name: string): string[] {
  const body = new RegExp(`struct _${name} \\{([^}]*)\\}`).exec(header)?.[1] ?? '';
  return [...body.matchAll(/^\s*(\w+)\s+(\w+)(\[\w+\])?;/gm)].map(([, type, field]) => `${type} ${field}`);
}

/** The control codes that lines of PowerShell use, in their order. */
const codesUsed = (lines: string): number[] =>
  [...lines.matchAll(/DeviceIoControl\(\$\w+, (0x[0-9A-Fa-f]+),/g)].map(([, code]) => Number(code));

describe('the control codes that PowerShell lines send', () => {
  it('set and read the attributes of a volume', () => {
    expect(codesUsed(scriptAttributes('0x8000000000000001').join('\n'))).toEqual([
      codeIn(ntddvol, 'IOCTL_VOLUME_SET_GPT_ATTRIBUTES'),
      codeIn(ntddvol, 'IOCTL_VOLUME_GET_GPT_ATTRIBUTES'),
    ]);
    // Eight bytes of bits, then eight that stay 0: 1 + 1 + 2 + 4.
    expect(fieldsIn(ntddvol, 'VOLUME_SET_GPT_ATTRIBUTES_INFORMATION')).toEqual([
      'ULONGLONG GptAttributes',
      'BOOLEAN RevertOnClose',
      'BOOLEAN ApplyToAllConnectedVolumes',
      'USHORT Reserved1',
      'ULONG Reserved2',
    ]);
  });

  it('read the layout of a disk, whose entries hold start and attributes where the survey takes them', () => {
    expect(codesUsed(collector)).toEqual([codeIn(winioctl, 'IOCTL_DISK_GET_DRIVE_LAYOUT_EX')]);
    // 4 and 4 of padding, 8, 8, 4, 1 and 3 of padding: the union begins at 32; in it 16, 16, 8: the attributes at 64.
    expect(fieldsIn(winioctl, 'PARTITION_INFORMATION_GPT').slice(0, 3)).toEqual([
      'GUID PartitionType',
      'GUID PartitionId',
      'DWORD64 Attributes',
    ]);
    expect(collector).toContain('ToUInt64($layout, $at + 8)');
    expect(collector).toContain('ToUInt64($layout, $at + 64)');
    // Style and count before the union at 8; in it 16, 8, 8: what is usable at 24 and 32, the number of entries at 40.
    expect(fieldsIn(winioctl, 'DRIVE_LAYOUT_INFORMATION_EX').slice(0, 2)).toEqual([
      'DWORD PartitionStyle',
      'DWORD PartitionCount',
    ]);
    expect(fieldsIn(winioctl, 'DRIVE_LAYOUT_INFORMATION_GPT')).toEqual([
      'GUID DiskId',
      'LARGE_INTEGER StartingUsableOffset',
      'LARGE_INTEGER UsableLength',
      'DWORD MaxPartitionCount',
    ]);
    for (const at of [24, 32]) expect(collector).toContain(`ToUInt64($layout, ${at})`);
    expect(collector).toContain('ToUInt32($layout, 40)');
  });
});
