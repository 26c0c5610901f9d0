import type { Disk, Partition } from '../../disk';
import type { Layout } from '../../steps';
import { Char, Refused, type ShellCommand, type Value } from './powershell';

/** A partition as the storage cmdlets show it. Bytes. */
export interface ShownPartition {
  DiskNumber: number;
  PartitionNumber: number;
  Offset: number;
  Size: number;
  MbrType: number;
  GptType: string;
  DriveLetter: Char;
  [name: string]: Value;
}

/**
 * A machine as far as the scripts of a work sheet see and change it. The sizes that Windows offers are those of a
 * volume that may shrink to nothing and grow to the next partition: how far a volume really goes is for the planner to
 * know.
 */
export class WindowsMachine {
  environment = true;
  /** Letters of volumes that were converted to NTFS, and bytes free in each of the others. */
  readonly converted = new Set<string>();
  free = 2 ** 45;
  encrypted = new Set<string>();
  /** Folders that are there, besides the roots. */
  readonly folders = new Set(['X:\\job']);
  /** Whole copies of files, from and to. */
  copies: [string, string][] = [];
  /**
   * What the operating system does of its own calls: all, none (a locked-down shell), or not the lowest attribute bits.
   */
  calls: 'all' | 'none' | 'not the low bits' = 'all';
  /** The 64 attribute bits of partitions on GPT. */
  readonly attributes = new Map<ShownPartition, bigint>();

  constructor(
    readonly disks: {
      Number: number;
      SerialNumber: string;
      Size: number;
      Guid: string;
      Signature: number;
      PartitionStyle: string;
      /** Windows runs from it, or the machine starts from it. */
      IsBoot: boolean;
      IsSystem: boolean;
    }[],
    public partitions: ShownPartition[],
  ) {}

  /** Windows numbers partitions by the order in which they lie. */
  private renumber(): void {
    this.partitions.sort((a, b) => a.DiskNumber - b.DiskNumber || a.Offset - b.Offset);
    this.partitions.forEach((one, i) => (one.PartitionNumber = i + 1));
  }

  /** Puts a partition somewhere, whatever is there. */
  put(disk: number, Offset: number, Size: number): ShownPartition {
    const made = { DiskNumber: disk, PartitionNumber: 0, Offset, Size, MbrType: 0, GptType: '' };
    const AccessPaths = [`\\\\?\\Volume{${Offset}}\\`];
    const shown: ShownPartition = { ...made, DriveLetter: new Char(0), AccessPaths };
    this.partitions.push(shown);
    this.attributes.set(shown, 0n);
    this.renumber();
    return shown;
  }

  private at(named: Record<string, Value>): ShownPartition {
    const found = this.partitions.filter(
      (one) => one.DiskNumber === named['disknumber'] && one.PartitionNumber === named['partitionnumber'],
    );
    if (found.length !== 1) throw new Error('there is no such partition');
    return found[0]!;
  }

  private roomOf(one: ShownPartition): number {
    const frame = this.partitions.find(
      ({ MbrType, Offset, Size }) =>
        [5, 15].includes(MbrType) && Offset < one.Offset && Offset + Size > one.Offset,
    );
    const disk = this.disks.find(({ Number }) => Number === one.DiskNumber)!;
    const next = this.partitions.filter(
      (other) => other.DiskNumber === one.DiskNumber && other.Offset > one.Offset,
    );
    const end = frame ? frame.Offset + frame.Size : disk.Size;
    return Math.min(end, ...next.map(({ Offset }) => Offset)) - one.Offset;
  }

  /** Commands that a script can call. */
  readonly commands: Readonly<Record<string, ShellCommand>> = {
    'get-disk': ({ named }) =>
      this.disks
        .filter((one) => named['number'] === undefined || one.Number === named['number'])
        .map((one) => ({ ...one, LargestFreeExtent: 0 })),
    'get-partition': ({ named }) =>
      this.partitions.filter(
        (one) =>
          one.DiskNumber === named['disknumber'] &&
          (named['partitionnumber'] === undefined || one.PartitionNumber === named['partitionnumber']),
      ),
    'get-partitionsupportedsize': ({ named }) => {
      const one = this.at(named);
      return { SizeMin: 0, SizeMax: this.roomOf(one) };
    },
    'resize-partition': ({ named }) => {
      const one = this.at(named);
      const size = Number(named['size']);
      if (size > this.roomOf(one)) throw new Error('another partition is in the way');
      one.Size = size;
      return undefined;
    },
    'remove-partition': ({ named }) => {
      if (named['confirm'] !== false) throw new Error('it would wait for a key');
      const one = this.at(named);
      this.partitions = this.partitions.filter((other) => other !== one);
      this.renumber();
      return undefined;
    },
    'new-partition': ({ named }) => {
      const made = this.put(Number(named['disknumber']), Number(named['offset']), Number(named['size']));
      made.MbrType = named['mbrtype'] === 'IFS' ? 7 : 0;
      made.GptType = String((named['gpttype'] as string | undefined) ?? '');
      return made;
    },
    'format-volume': ({ named }) => {
      if (!this.partitions.includes(named['partition'] as ShownPartition))
        throw new Error('nothing to format');
      return 'a volume';
    },
    'set-partition': ({ named }) => {
      const one = this.at(named);
      if (named['newdriveletter'] !== undefined)
        one.DriveLetter = new Char(String(named['newdriveletter'] as string).charCodeAt(0));
      if (named['mbrtype'] !== undefined) one.MbrType = Number(named['mbrtype']);
      if (named['nodefaultdriveletter']) this.attributes.set(one, this.attributes.get(one)! | (1n << 63n));
      return undefined;
    },
    'add-partitionaccesspath': ({ named }) => {
      this.at(named).DriveLetter = new Char('X'.charCodeAt(0));
      return undefined;
    },
    'remove-partitionaccesspath': ({ named }) => {
      this.at(named).DriveLetter = new Char(0);
      return undefined;
    },
    'add-type': ({ named }) => {
      if (this.calls === 'none') throw new Refused('types can not be added here');
      if (!/ CreateFile\(.* DeviceIoControl\(/.test(String(named['memberdefinition'] as string)))
        throw new Error('nothing of use is declared');
      return undefined;
    },
    '[gentletide.device]::createfile': ({ loose: [path] }) =>
      this.partitions.find(
        ({ AccessPaths }) => (AccessPaths as string[] | undefined)?.[0] === `${path as string}\\`,
      ),
    // The structures as the operating system documents them: a figure of eight bytes, lowest first; setting has eight
    // more.
    '[gentletide.device]::deviceiocontrol': ({ loose: [volume, code, input, inputBytes, output] }) => {
      const one = volume as ShownPartition;
      if (code === 0x560038) {
        const bytes = output as number[];
        bytes.forEach((_, i) => (bytes[i] = Number((this.attributes.get(one)! >> BigInt(8 * i)) & 255n)));
        return true;
      }
      const bytes = input as number[];
      if (code !== 0x560034 || inputBytes !== 16 || bytes.length !== 16) return false;
      if (bytes.slice(8).some((byte) => byte !== 0))
        throw new Error('it would be taken back, or set for all volumes');
      const figure = bytes.slice(0, 8).reduceRight((sum, byte) => (sum << 8n) | BigInt(byte), 0n);
      this.attributes.set(one, this.calls === 'all' ? figure : figure & ~7n);
      return true;
    },
    'update-disk': () => undefined,
    'start-sleep': () => undefined,
    'disable-bitlocker': ({ named }) => {
      if (!this.encrypted.has(String(named['mountpoint'] as string))) throw new Error('it is not encrypted');
      return 'a volume';
    },
    // The work is done by the second time that somebody looks.
    'get-bitlockervolume': ({ named }) => {
      const done = !this.encrypted.delete(String(named['mountpoint'] as string));
      return { VolumeStatus: done ? 'FullyDecrypted' : 'DecryptionInProgress', EncryptionPercentage: 40 };
    },
    'get-volume': ({ named }) => ({
      FileSystem: this.converted.has(String(named['driveletter'] as string)) ? 'NTFS' : 'FAT32',
      SizeRemaining: this.free,
    }),
    'convert.exe': ({ loose }) => {
      this.converted.add(String(loose[0] as string).replace(':', ''));
      return 0;
    },
    'mbr2gpt.exe': ({ loose: [what, of, where] }) => {
      const disk = this.disks.find(({ Number: n }) => of === `/disk:${n}`);
      if (!disk || where !== '/allowFullOS' || disk.Signature === 0) return 1;
      if (what === '/validate') return 0;
      // From within Windows: the volume C: gives its last 100 MiB to the partition that the firmware starts.
      const windows = this.partitions.find(
        (one) => one.DiskNumber === disk.Number && String.fromCharCode(one.DriveLetter.code) === 'C',
      )!;
      windows.Size -= 100 * 2 ** 20;
      Object.assign(disk, { Signature: 0, Guid: '{made-by-windows}', PartitionStyle: 'GPT' });
      this.put(disk.Number, windows.Offset + windows.Size, 100 * 2 ** 20);
      return 0;
    },
    'initialize-disk': ({ named }) => {
      const disk = this.disks.find(({ Number: n }) => n === named['number']);
      if (disk?.PartitionStyle !== 'RAW') throw new Error('it has a table');
      disk.PartitionStyle = String(named['partitionstyle'] as string);
      // Windows makes its reserved partition by itself.
      if (disk.PartitionStyle === 'GPT') this.put(disk.Number, 17_408, 16_759_808)['Type'] = 'Reserved';
      return undefined;
    },
    'read-host': () => 'X:\\job',
    'test-path': ({ named }) => this.folders.has(String(named['literalpath'] as string)),
    'join-path': ({ loose: [root, name] }) =>
      `${String(root as string).replace(/\\$/, '')}\\${name as string}`,
    'new-item': ({ named }) => {
      this.folders.add(String(named['path'] as string));
      return undefined;
    },
    'reagentc.exe': ({ loose }) => {
      if (loose[0] !== '/info') this.environment = loose[0] === '/enable';
      return 0;
    },
    'robocopy.exe': ({ loose }) => {
      this.copies.push([String(loose[0] as string), String(loose[1] as string)]);
      return 1;
    },
  };

  /** All that a script may not change before its guards hold. */
  get state(): unknown {
    const { disks, partitions, environment, copies, converted, folders } = this;
    return structuredClone({
      disks,
      partitions: partitions.map((one) => ({ ...one, DriveLetter: one.DriveLetter.code })),
      environment,
      converted: [...converted],
      folders: [...folders],
      copies,
    });
  }
}

const isMade = ({ partitions }: Disk, { number, role }: Partition): boolean =>
  role === 'data' && !partitions.some((found) => found.number === number);

/** A machine with a disk of so many bytes and the layout that it has after some steps, and a stick beside it. */
export function machineWith(disk: Disk, layout: Layout, diskBytes: number): WindowsMachine {
  const partitions = layout.partitions.map((one, i): ShownPartition => ({
    DiskNumber: disk.number,
    PartitionNumber: i + 1,
    Offset: one.first * disk.sectorSize,
    Size: one.sectors * disk.sectorSize,
    MbrType: disk.table === 'mbr' ? parseInt(one.type, 16) : 0,
    GptType: disk.table === 'gpt' ? `{${one.type.toLowerCase()}}` : '',
    // Windows gives a letter to a volume for files that is made on the way.
    DriveLetter: new Char((one.letter ?? (isMade(disk, one) ? 'X' : '\0')).charCodeAt(0)),
  }));
  const machine = new WindowsMachine(
    [
      {
        Number: disk.number,
        // Drives give it padded.
        SerialNumber: `  ${disk.serial} `,
        Size: diskBytes,
        Guid: disk.table === 'gpt' ? `{${disk.id.toLowerCase()}}` : '',
        Signature: disk.table === 'mbr' ? parseInt(disk.id, 16) : 0,
        PartitionStyle: disk.table.toUpperCase(),
        IsBoot: true,
        IsSystem: true,
      },
      {
        Number: 7,
        SerialNumber: 'GT-STICK',
        Size: 8_000_000_000,
        Guid: '{another}',
        Signature: 1,
        PartitionStyle: 'MBR',
        IsBoot: false,
        IsSystem: false,
      },
    ],
    partitions,
  );
  for (const { letter, volume } of layout.partitions)
    if (letter && volume && volume.encryption.state !== 'off') machine.encrypted.add(`${letter}:`);
  return machine;
}
