import { NO_TIME, copyTime, isEncrypted, findRecoveryInUse } from '../tools';
import type { Preparation } from '../holdings';
import { joinNames, type Step } from '../steps';
import type { Route, Task } from '../planning';
import {
  describeAttributes,
  bytesOf,
  diskBytes,
  nameInSentence,
  typeName,
  type Disk,
  type Partition,
} from '../disk';
import { formatCount, formatDuration, formatMib, formatSize } from '../units';
import { SHELL, type SheetContext } from './context';
import { bootPathOf, scriptProtection } from './bootPath';
import { checksOf } from './check';
import { listFirstChecks } from './first';
import { block, guard } from '../steps/powershell/guard';
import { quoteLiteral } from '../steps/powershell/quote';
import type { Check, SheetDisk } from './sheet';

const check = checksOf('before');

/** Seconds of exposure from which a desktop wants a power backup: longer than anybody would stand beside it. */
const LONG_EXPOSURE = 600;

/** Everything to be seen to before the first step (domain facts 10), for this machine and this route. */
export function listChecksBefore(context: SheetContext, first: readonly Preparation[]): Check[] {
  const { task, route, sheetDisk } = context;
  const { machine } = task;
  // Files from before the work lie on the old disk, where everything goes to a new one.
  const disk = task.from ?? task.disk;
  return [
    ...listFirstChecks(task, first),
    imageCheck(task),
    check('medium', 'A bootable repair medium is at hand, and was tried', [
      'Start this machine from it once, up to where it would repair, and shut it down again.',
      ...(machine.firmware === 'uefi' && task.machine.disks.some((one) => one.partitions.some(isEncrypted))
        ? ['The machine has encryption: after a start from another medium it may ask for the recovery key.']
        : []),
    ]),
    powerCheck(task, route),
    volumesCheck(disk, listTouched(disk, route.steps)),
    ...shutdownCheck(task),
    ...encryptionCheck(disk, task, route),
    ...suspendCheck(context),
    ...recoveryCheck(disk, task),
    ...(disk.media === 'virtual' ? [virtualCheck(task, route)] : []),
    check('programs', 'Programs are closed', [
      `Nothing is open on ${joinNames(listTouched(disk, route.steps).map(nameInSentence))}: programs, network shares, backup and synchronising services.`,
    ]),
    sameDiskCheck(disk, task.from ?? sheetDisk),
    ...newDiskCheck(task),
  ];
}

/** Partitions as found that a route changes. */
export const listTouched = (disk: Disk, steps: readonly Step[]): Partition[] =>
  disk.partitions.filter((one) => steps.some((step) => step.partition === one.number));

function imageCheck({ machine, rates }: Task): Check {
  // An image of a volume that does not say what it holds is as large as the partition.
  const held = machine.disks.map((disk) => ({
    disk,
    bytes: disk.partitions
      .filter((one) => one.kind !== 'extended')
      .reduce((sum, one) => sum + (one.volume?.used ?? bytesOf(disk, one)), 0),
  }));
  const bytes = held.reduce((sum, one) => sum + one.bytes, 0);
  const waiting = held
    .map((one) => copyTime(one.bytes, one.disk.media, rates))
    .reduce((sum, one) => ({ low: sum.low + one.low, high: sum.high + one.high }), NO_TIME);
  return check(
    'image',
    'A full image backup of the machine exists and can be read',
    [
      `About ${formatSize(bytes)}: what is in use on all volumes of all disks. It takes some ${formatDuration(waiting)} if the other disk is no slower than this one.`,
      'Open it and look at a few files of each volume, or let its own check run: an image that nobody has read is a hope.',
    ],
    {
      asks: [
        { id: 'where', label: 'Where it is kept' },
        { id: 'when', label: 'From when it is' },
        { id: 'read', label: 'How it was seen that it can be read' },
      ],
      waiting,
    },
  );
}

function powerCheck({ machine }: Task, { totals }: Route): Check {
  const { exposedSeconds } = totals;
  const long = exposedSeconds.high >= LONG_EXPOSURE;
  return check('power', 'Power is safe', [
    machine.onBattery
      ? 'The machine was on battery when it was surveyed: connect it to mains power, with the battery above half as well.'
      : 'Mains power; a laptop with its battery above half as well.',
    totals.exposedBytes === 0
      ? 'No step of this route is exposed: a power cut costs time, not data.'
      : `For ${formatDuration(exposedSeconds)} a power cut would leave a partition that only a resume can mend.${long ? ' A desktop goes on a power backup for that.' : ''}`,
    'Sleep is switched off, and the lid of a laptop does nothing.',
  ]);
}

function volumesCheck(disk: Disk, touched: readonly Partition[]): Check {
  const dirty = disk.partitions.filter((one) => one.volume?.dirty);
  const lettered = touched.filter((one) => one.letter !== null && one.volume?.fileSystem === 'ntfs');
  return check(
    'volumes',
    'The volumes are checked and sound',
    [
      ...(dirty.length > 0
        ? [
            `${joinNames(dirty.map(nameInSentence))} asked for a check in the survey. Let it run to its end before anything else.`,
          ]
        : ['None asked for a check in the survey.']),
      'A volume with faults is mended first, or nothing is done: moving faults makes them worse.',
    ],
    {
      script:
        lettered.length === 0
          ? null
          : {
              title: SHELL,
              text: lettered.map((one) => `Repair-Volume -DriveLetter ${one.letter} -Scan`).join('\n'),
            },
    },
  );
}

function shutdownCheck({ machine }: Task): Check[] {
  const text = [
    ...(machine.hibernated
      ? [
          'The machine was hibernated when it was surveyed: start Windows, and shut it down fully. Until then nothing may be changed.',
        ]
      : []),
    ...(machine.hibernation
      ? [
          'Fast start or hibernation is on: switch it off (the line below), and shut Windows down once, fully.',
        ]
      : ['Whenever this sheet says shut down, it means fully: no hibernation, no fast start.']),
  ];
  return [
    check('shutdown', 'A shutdown is a full one', text, {
      script: machine.hibernation ? { title: SHELL, text: 'powercfg.exe /hibernate off' } : null,
    }),
  ];
}

function encryptionCheck(disk: Disk, { rates }: Task, { steps }: Route): Check[] {
  const encrypted = disk.partitions.filter(isEncrypted);
  if (encrypted.length === 0) return [];
  const decrypts = steps.filter((step) => step.verb === 'decrypt');
  const going = new Set(decrypts.map((step) => step.partition));
  const stay = encrypted.filter((one) => !going.has(one.number));
  const bytes = decrypts.reduce((sum, step) => sum + step.bytesCopied, 0);
  return [
    check(
      'encryption',
      'Recovery keys are at hand',
      [
        `${joinNames(encrypted.map(nameInSentence))} ${encrypted.length === 1 ? 'is' : 'are'} encrypted. Have each recovery key on paper before anything starts.`,
        ...(decrypts.length > 0
          ? [
              `The route decrypts ${joinNames(encrypted.filter((one) => going.has(one.number)).map(nameInSentence))} first, which takes ${formatDuration(copyTime(bytes, disk.media, rates))}. Suspending is not enough.`,
            ]
          : []),
        ...(stay.length > 0
          ? [
              `${joinNames(stay.map(nameInSentence))} ${stay.length === 1 ? 'stays' : 'stay'} encrypted; only Windows touches ${stay.length === 1 ? 'it' : 'them'}.`,
            ]
          : []),
      ],
      { asks: [{ id: 'key', label: 'Where the recovery key is' }] },
    ),
  ];
}

/**
 * Suspended, the key is given out whatever the machine starts from. It is no decryption: movers still leave the volume
 * alone.
 */
function suspendCheck(context: SheetContext): Check[] {
  const path = bootPathOf(context);
  if (!path) return [];
  const names = joinNames(path.volumes.map(nameInSentence));
  return [
    check(
      'suspend',
      `Suspend protection first: ${names}`,
      [
        `This route ${joinNames(path.changes)}. That changes the way on which the key of ${names} is given out at a start.`,
        'Suspend its protection in Windows until it is switched on again, not for one restart only.',
        'Even so the recovery key may be asked for at the next start: have it beside the machine before anything begins.',
      ],
      { script: scriptProtection(context, path, 0, false) },
    ),
  ];
}

function recoveryCheck(disk: Disk, { machine }: Task): Check[] {
  const all = disk.partitions.filter((one) => one.role === 'recovery' || one.role === 'vendor');
  if (all.length === 0) return [];
  const inUse = findRecoveryInUse(machine, disk);
  const values = all.flatMap((one) => {
    const of = (label: string, text: string) => ({
      label: `${all.length > 1 ? `${one.number}: ` : ''}${label}`,
      text,
    });
    return [
      of('Partition', `${nameInSentence(one)}, number ${one.number}${one === inUse ? ', in use' : ''}`),
      of('Type', `${one.type} (${typeName(one.type)})`),
      ...(disk.table === 'gpt'
        ? [of('Attributes', describeAttributes(one)), of('GUID', one.id ?? 'not known')]
        : []),
      of('Start', `${formatMib(one.first * disk.sectorSize, disk.sectorSize)} (sector ${one.first})`),
      of('Size', formatMib(bytesOf(disk, one), disk.sectorSize)),
      of('Label', one.volume?.label || 'none'),
    ];
  });
  return [
    check(
      'recovery',
      'Recovery details are recorded',
      [
        'They are on this sheet, as surveyed; compare them with what the machine reports now. Without type and attributes a recovery partition can’t be made anew.',
      ],
      {
        values: [
          {
            label: 'Recovery environment',
            text:
              machine.recoveryEnvironment === null
                ? 'not known'
                : machine.recoveryEnvironment.enabled
                  ? 'enabled'
                  : 'disabled',
          },
          ...values,
        ],
        script: { title: SHELL, text: 'reagentc.exe /info' },
      },
    ),
  ];
}

function virtualCheck({ disk }: Task, { steps }: Route): Check {
  const enlarge = steps.find((step) => step.verb === 'enlarge-disk');
  return check('virtual', 'The virtual machine is ready', [
    'A copy of the powered-off machine counts as its image. Snapshots or checkpoints are merged or removed: while one exists, the disk must not be changed from outside.',
    ...(enlarge?.verb === 'enlarge-disk'
      ? [
          `Its disk is enlarged while the machine is powered off: the new total is exactly ${formatMib(enlarge.diskSectors * disk.sectorSize, disk.sectorSize)}, not the amount added.`,
        ]
      : [`Its disk keeps its total of ${formatMib(diskBytes(disk), disk.sectorSize)}.`]),
  ]);
}

/** The disk that everything goes to: taken for the old one, it would be overwritten. */
function newDiskCheck({ from, disk }: Task): Check[] {
  if (!from) return [];
  return [
    check('new-disk', 'The new disk is connected, sound and empty', [
      `It is the one with ${disk.serial ? `the serial number ${disk.serial}` : 'no serial number that is known'} and ${formatCount(diskBytes(disk))} bytes; the old one has ${from.serial || 'none that is known'} and ${formatCount(diskBytes(from))}. Mark both.`,
      'The survey shows nothing on the new disk, which is what Windows knows of it: see that it is so, for whatever is on it is gone afterwards. Let its own long test run once before anything is trusted to it.',
      'The old disk is only read from here on. It is the way back: nothing is written to it, nothing deleted.',
    ]),
  ];
}

/** The whole disk compared with the sheet, line by line: nothing may have changed since the survey. */
function sameDiskCheck(disk: Disk, sheetDisk: Pick<SheetDisk, 'serial' | 'id' | 'table'>): Check {
  // Storage cmdlets do not list the frame of an extended partition in every Windows.
  const rows = disk.partitions
    .filter((one) => one.kind !== 'extended')
    .map(
      (one) =>
        `  ,@(${one.first * disk.sectorSize}, ${bytesOf(disk, one)}, ${quoteLiteral(nameInSentence(one))})`,
    );
  return check(
    'same',
    'The disk is still as it was surveyed',
    [
      'Compare serial number, size and every partition with the layout on this sheet. The lines below do it, and change nothing.',
    ],
    {
      script: {
        title: 'Windows PowerShell, as administrator; it only reads',
        text: `# Gentle Tide: is the disk as surveyed?\n${block([
          ...guard(sheetDisk, diskBytes(disk), []),
          '$expected = @(',
          ...rows,
          ')',
          'foreach ($one in $expected) {',
          '  $part = @(Get-Partition -DiskNumber $disk.Number | Where-Object { $_.Offset -eq $one[0] })',
          `  if ($part.Count -ne 1 -or $part[0].Size -ne $one[1]) { throw ('Not as surveyed: ' + $one[2] + ' should start at byte ' + $one[0] + ' with ' + $one[1] + ' bytes.') }`,
          '}',
          "'The disk is as surveyed.'",
        ])}`,
      },
    },
  );
}
