import { nameAttributes } from '../../disk';
import { NEW } from './format';
import { quoteLiteral } from './quote';

/** The one bit that the storage cmdlets are asked to set by themselves: no drive letter. */
const NO_LETTER = 1n << 63n;

/**
 * Two calls of the operating system, as they are declared for `Add-Type`: one opens a disk or a volume, one asks it or
 * tells it something. Nothing else of the operating system is called by a script.
 */
export const DEVICE_CALLS = [
  '[DllImport("kernel32.dll", CharSet = CharSet.Unicode, SetLastError = true)] public static extern Microsoft.Win32.SafeHandles.SafeFileHandle CreateFile(string name, uint access, uint share, IntPtr security, uint creation, uint flags, IntPtr template);',
  '[DllImport("kernel32.dll", SetLastError = true)] public static extern bool DeviceIoControl(Microsoft.Win32.SafeHandles.SafeFileHandle device, uint code, byte[] input, uint inputBytes, byte[] output, uint outputBytes, out uint returned, IntPtr overlapped);',
] as const;

/** The eight bytes of a figure, lowest first. */
const bytesOf = (figure: bigint): number[] =>
  Array.from({ length: 8 }, (_, i) => Number((figure >> BigInt(8 * i)) & 0xffn));
const hex = (bytes: readonly number[]): string =>
  bytes.map((byte) => byte.toString(16).toUpperCase().padStart(2, '0')).join('-');

/** Attributes that only the volume manager sets; where it does not, these are what a partition made anew lacks. */
export const beyondCmdlets = (attributes: string): string[] =>
  nameAttributes(`0x${(BigInt(attributes) & ~NO_LETTER).toString(16)}`);

/**
 * Lines that give the new partition all its 64 attribute bits. The cmdlets set “no letter” first, so that where the
 * rest fails this much is there; what they can't set the volume manager does, and `$whole` says whether all bits are
 * set as they are read back. Its codes: IOCTL_VOLUME_SET_GPT_ATTRIBUTES 0x560034 with
 * VOLUME_SET_GPT_ATTRIBUTES_INFORMATION (the bits, then eight bytes that stay 0: not taken back on closing, this volume
 * only), IOCTL_VOLUME_GET_GPT_ATTRIBUTES 0x560038; 3221225472 is reading and writing.
 */
export function scriptAttributes(attributes: string): string[] {
  const figure = BigInt(attributes);
  const bytes = bytesOf(figure);
  const byCmdlet = figure & NO_LETTER ? [`Set-Partition ${NEW} -NoDefaultDriveLetter $true`] : [];
  if (beyondCmdlets(attributes).length === 0) return byCmdlet;
  return [
    ...byCmdlet,
    '# The volume manager sets all 64 attribute bits, and is asked what they are then.',
    '$whole = $false',
    'try {',
    `  $open = ${quoteLiteral(DEVICE_CALLS[0])}`,
    `  $ask = ${quoteLiteral(DEVICE_CALLS[1])}`,
    '  Add-Type -Namespace GentleTide -Name Device -MemberDefinition ($open + $ask)',
    `  $path = @((Get-Partition ${NEW}).AccessPaths | Where-Object { $_ -like '\\\\?\\Volume*' })[0].TrimEnd('\\')`,
    '  $volume = [GentleTide.Device]::CreateFile($path, 3221225472, 3, [IntPtr]::Zero, 3, 0, [IntPtr]::Zero)',
    `  $wanted = [byte[]](${[...bytes, ...bytesOf(0n)].join(', ')})`,
    '  $now = [byte[]](0, 0, 0, 0, 0, 0, 0, 0)',
    '  $count = [uint32]0',
    '  $told = [GentleTide.Device]::DeviceIoControl($volume, 0x560034, $wanted, 16, $null, 0, [ref]$count, [IntPtr]::Zero)',
    '  $told = [GentleTide.Device]::DeviceIoControl($volume, 0x560038, $null, 0, $now, 8, [ref]$count, [IntPtr]::Zero)',
    '  $volume.Close()',
    `  $whole = [BitConverter]::ToString($now) -eq '${hex(bytes)}'`,
    '} catch { }',
  ];
}
