import { Type, type Static } from 'typebox';
import { describeAttributes, bytesOf, overlaps, typeName, type Disk, type Partition } from '../disk';
import { type Outcome, refusal, success } from '../problem';
import { closed, Bytes, orNull, PartitionNumber } from '../shapes';
import { machineOf, type Machine, type SurveyDocument } from '../survey';
import { formatMib, formatSize } from '../units';
import type { PromisedPartition, WorkSheet } from '../worksheet';

/**
 * How much a difference weighs. `lost`: something that was there is not. `wrong`: not as promised, to be put right.
 * `look`: may be right, somebody has to say so. `explained`: the work itself is the reason.
 */
const GRADES = ['lost', 'wrong', 'look', 'explained'] as const;
export type Grade = (typeof GRADES)[number];

export const VERDICTS = ['proved', 'open', 'lost'] as const;

const Sentence = Type.String({ maxLength: 4000 });

const DifferenceShape = closed({
  grade: Type.Enum(GRADES),
  /** Number of the promised partition; null for the disk or the machine. */
  partition: orNull(PartitionNumber),
  /** Name of the difference: "Archive (D:), size". */
  what: Sentence,
  promised: Sentence,
  found: Sentence,
  /** Why that may be, and what to do. */
  why: Sentence,
});
export type Difference = Static<typeof DifferenceShape>;

const FillShape = closed({ size: Bytes, used: orNull(Bytes) });
export type Fill = Static<typeof FillShape>;

export const LayoutProofShape = closed({
  verdict: Type.Enum(VERDICTS),
  /** Differences, those that weigh most first. */
  differences: Type.Array(DifferenceShape, { maxItems: 20_000 }),
  /** Facts that were compared and are as promised. */
  same: Type.Integer({ minimum: 0, maximum: 1_000_000 }),
  /** Size, in use and name of every volume, before and after. Bytes. */
  volumes: Type.Array(closed({ name: Sentence, before: orNull(FillShape), after: orNull(FillShape) }), {
    maxItems: 4096,
  }),
});
export type LayoutProof = Static<typeof LayoutProofShape>;

const WEIGHT: Record<Grade, number> = { lost: 0, wrong: 1, look: 2, explained: 3 };

/**
 * Holds a survey taken after the work against what the sheet promised. Problem codes: `other-disk` (serial, GUID or
 * signature differ), `too-old` (taken before the survey that the sheet was made on).
 */
export function proveLayout(
  sheet: WorkSheet,
  before: SurveyDocument,
  after: SurveyDocument,
): Outcome<LayoutProof> {
  if (Date.parse(after.takenAt) <= Date.parse(before.takenAt)) {
    return refusal(
      'too-old',
      `This survey was taken at ${after.takenAt}, not after the one that the work sheet was made on (${before.takenAt}). Survey the machine as it is now.`,
      '/takenAt',
    );
  }
  const machine = machineOf(after);
  const disk = sameDisk(sheet, machine);
  if (!disk) {
    const { serial, id } = sheet.disk;
    return refusal(
      'other-disk',
      `This survey does not show the disk that was worked on (serial ${serial || 'not known'}, ${sheet.disk.table === 'gpt' ? 'GUID' : 'signature'} ${id || 'not known'}). It is of another machine, or the disk was replaced.`,
      '/disks',
    );
  }
  const tally = new Tally();
  compareDisk(sheet, disk, tally);
  const pairs = pairsOf(sheet, disk);
  const old = diskBefore(sheet, before, disk);
  for (const [promised, found] of pairs) comparePartition(sheet, promised, found, old, tally);
  for (const one of disk.partitions) {
    if ([...pairs.values()].includes(one)) continue;
    tally.differs(
      'wrong',
      null,
      `Partition ${one.number}`,
      'not there',
      `${formatSize(bytesOf(disk, one))} at ${formatMib(one.first * disk.sectorSize, disk.sectorSize)}`,
      'The route leaves no such partition. Look what it is before it is removed.',
    );
  }
  compareMachine(sheet, machine, tally);
  return success(tally.result(volumesOf(sheet, old, disk, pairs)));
}

class Tally {
  private readonly differences: Difference[] = [];
  private same = 0;

  differs(
    grade: Grade,
    partition: number | null,
    what: string,
    promised: string,
    found: string,
    why: string,
  ): void {
    this.differences.push({ grade, partition, what, promised, found, why });
  }

  /** Counts a fact that is as it was promised. */
  holds(): void {
    this.same++;
  }

  /** Counts a fact as same, or keeps the difference. */
  compare(
    grade: Grade,
    partition: number | null,
    what: string,
    promised: string,
    found: string,
    why: string,
  ): void {
    if (promised === found) this.holds();
    else this.differs(grade, partition, what, promised, found, why);
  }

  result(volumes: LayoutProof['volumes']): LayoutProof {
    const differences = [...this.differences].sort((a, b) => WEIGHT[a.grade] - WEIGHT[b.grade]);
    const worst = differences[0]?.grade;
    const verdict = worst === 'lost' ? 'lost' : worst === 'wrong' || worst === 'look' ? 'open' : 'proved';
    return { verdict, differences, same: this.same, volumes };
  }
}

/** The disk of the sheet: whatever both say of serial and GUID must agree, and they must share one of them. */
function sameDisk({ disk, promise }: WorkSheet, machine: Machine): Disk | null {
  const agree = (a: string, b: string): boolean | null =>
    a === '' || b === '' ? null : a.toUpperCase() === b.toUpperCase();
  const fits = (one: Disk): boolean => {
    // A new table gave the disk another identity; as long as it has the old one it is found by that, and told.
    const converted = promise.newTable === one.table;
    const [serial, id] = [agree(disk.serial, one.serial), converted ? null : agree(disk.id, one.id)];
    if (serial === false || id === false || (!converted && one.table !== disk.table)) return false;
    // Number and sector size are all there is where neither is known on one side.
    return (
      serial === true || id === true || (one.number === disk.number && one.sectorSize === disk.sectorSize)
    );
  };
  return machine.disks.find(fits) ?? null;
}

/** Promised partitions with what was found of them: by GUID, else by where they are and what type they have. */
function pairsOf({ promise }: WorkSheet, disk: Disk): Map<PromisedPartition, Partition | null> {
  const left = new Set(disk.partitions);
  const pairs = new Map<PromisedPartition, Partition | null>();
  const take = (promised: PromisedPartition, fits: (one: Partition) => boolean): void => {
    if (pairs.has(promised)) return;
    const found = [...left].find(fits);
    if (!found) return;
    pairs.set(promised, found);
    left.delete(found);
  };
  const rounds: ((promised: PromisedPartition, one: Partition) => boolean)[] = [
    (promised, one) => promised.id !== null && one.id === promised.id,
    (promised, one) => promised.id === null && one.first === promised.first && one.type === promised.type,
    (promised, one) => promised.id === null && one.type === promised.type && one.sectors === promised.sectors,
    (promised, one) =>
      (promised.id === null || one.id === null) && one.type === promised.type && overlaps(one, promised),
  ];
  for (const round of rounds) {
    for (const promised of promise.partitions) take(promised, (one) => round(promised, one));
  }
  for (const promised of promise.partitions) if (!pairs.has(promised)) pairs.set(promised, null);
  return pairs;
}

function compareDisk({ promise, disk }: WorkSheet, found: Disk, tally: Tally): void {
  tally.compare(
    'wrong',
    null,
    `Disk ${disk.number}, partition table`,
    (promise.newTable ?? disk.table).toUpperCase(),
    found.table.toUpperCase(),
    'The table was not converted as the route says. What lies behind it in the route can’t hold.',
  );
  const size = (bytes: number) => formatMib(bytes, disk.sectorSize);
  tally.compare(
    'wrong',
    null,
    `Disk ${disk.number}, size`,
    size(promise.diskBytes),
    size(found.sectors * found.sectorSize),
    'The whole disk has another size than the route leaves. On a virtual machine: was the new total entered exactly?',
  );
}

function compareMachine({ promise }: WorkSheet, machine: Machine, tally: Tally): void {
  if (promise.newTable) {
    const why = 'Windows still starts the old way: switch the firmware to UEFI.';
    tally.compare('wrong', null, 'How Windows starts', 'UEFI', machine.firmware.toUpperCase(), why);
  }
  if (!promise.recoveryEnabled) return;
  const state = machine.recoveryEnvironment;
  const found = state === null ? 'not known' : state.enabled ? 'enabled' : 'disabled';
  tally.compare(
    state === null ? 'look' : 'wrong',
    null,
    'Recovery environment',
    'enabled',
    found,
    state === null
      ? 'The survey does not say. Ask the machine with reagentc.exe /info.'
      : 'Switch it on: reagentc.exe /enable. It must then report enabled.',
  );
}

function comparePartition(
  sheet: WorkSheet,
  promised: PromisedPartition,
  found: Partition | null,
  old: Disk | undefined,
  tally: Tally,
): void {
  const { number, name, remade } = promised;
  if (!found) {
    tally.differs(
      'lost',
      number,
      name,
      'there',
      'not there',
      'No partition of the survey is this one. Write nothing to the disk; the image still has it.',
    );
    return;
  }
  const ss = sheet.disk.sectorSize;
  const what = (fact: string): string => `${name}, ${fact}`;
  const at = (first: number): string => `${formatMib(first * ss, ss)} (sector ${first})`;
  tally.compare(
    'wrong',
    number,
    what('start'),
    at(promised.first),
    at(found.first),
    'It does not start where the sheet says. What lies behind may not have the room that was meant for it.',
  );
  const size = (sectors: number): string => `${formatMib(sectors * ss, ss)} (${sectors} sectors)`;
  tally.compare(
    'wrong',
    number,
    what('size'),
    size(promised.sectors),
    size(found.sectors),
    'It has another size than the sheet says.',
  );
  tally.compare(
    'wrong',
    number,
    what('type'),
    typeText(promised.type),
    typeText(found.type),
    'Set the type again: without it Windows does not know what the partition is for.',
  );
  const asFound = old?.partitions.find((one) => one.number === number);
  compareAttributes(promised, found, asFound?.unreadAttributes ?? '0x0', tally);
  if (promised.id === null && !remade && sheet.promise.newTable && found.id !== null) {
    const why = 'The new table gives every partition a GUID of its own.';
    tally.differs('explained', number, what('GUID'), 'a new one', found.id, why);
  } else if (promised.id !== null || !remade) {
    tally.compare(
      'wrong',
      number,
      what('GUID'),
      promised.id ?? 'none',
      found.id ?? 'none',
      'It is another partition than the one as found, or it was made anew: what hangs on its GUID may not find it.',
    );
  } else if (found.id !== null) {
    tally.differs(
      'explained',
      number,
      what('GUID'),
      'a new one',
      found.id,
      'It was made anew on the way, as the route says.',
    );
  }
  const ownLetter = promised.role === 'data' && remade && promised.letter === null;
  if (ownLetter && found.letter) {
    const why = 'It is a new volume, and Windows or the owner gave it a letter.';
    tally.differs('explained', number, what('letter'), 'any', `${found.letter}:`, why);
  } else compareLetters(promised, found, tally);
  compareVolume(promised, found, tally);
}

function compareLetters(promised: PromisedPartition, found: Partition, tally: Tally): void {
  const { number, name } = promised;
  tally.compare(
    promised.letter === null ? 'wrong' : 'look',
    number,
    `${name}, letter`,
    promised.letter ? `${promised.letter}:` : 'none',
    found.letter ? `${found.letter}:` : 'none',
    promised.letter === null
      ? 'It had no letter and must not have one: take it off.'
      : 'Give it its letter back, or programs and shortcuts do not find it.',
  );
}

const typeText = (type: string): string => `${type} (${typeName(type)})`;

/**
 * Bits that both surveys read must be the same. One that was not read can't be told: of a partition made anew somebody
 * has to look, of any other nothing on the way touches them.
 *
 * @param unreadBefore the bits that the survey before the work did not read, as `0x` and hex digits
 */
function compareAttributes(
  promised: PromisedPartition,
  found: Partition,
  unreadBefore: string,
  tally: Tally,
): void {
  const unread = BigInt(unreadBefore) | BigInt(found.unreadAttributes);
  const wrong = (BigInt(promised.attributes) ^ BigInt(found.attributes)) & ~unread;
  const untold = promised.remade && (BigInt(promised.attributes) & unread) !== 0n;
  const differs: [Grade, string] | null =
    wrong !== 0n
      ? ['wrong', 'Set the attributes again as they were recorded, with a tool that sets all 64 bits.']
      : untold
        ? [
            'look',
            'It was made anew, and a survey did not read all of its attributes: look at them with a tool that shows all 64 bits.',
          ]
        : null;
  if (!differs) return tally.holds();
  const text = (attributes: string, unreadAttributes: string): string =>
    describeAttributes({ attributes, unreadAttributes });
  tally.differs(
    differs[0],
    promised.number,
    `${promised.name}, attributes`,
    text(promised.attributes, unreadBefore),
    text(found.attributes, found.unreadAttributes),
    differs[1],
  );
}

/** Windows writes to its volume all the time; a data volume that holds much less than before has lost something. */
const MIN_KEPT = 0.98;

function compareVolume(promised: PromisedPartition, found: Partition, tally: Tally): void {
  const { number, name } = promised;
  if (promised.fileSystem === null) return;
  const { volume } = found;
  if (!volume) {
    tally.differs(
      'lost',
      number,
      `${name}, file system`,
      promised.fileSystem.toUpperCase(),
      'none',
      'The partition is there, but Windows does not see a volume in it. Do not format it: let a recovery look, or restore the image.',
    );
    return;
  }
  tally.compare(
    volume.fileSystem === 'unknown' ? 'lost' : 'wrong',
    number,
    `${name}, file system`,
    promised.fileSystem.toUpperCase(),
    volume.fileSystem.toUpperCase(),
    volume.fileSystem === 'encrypted'
      ? 'It is locked. Unlock it, and survey again.'
      : 'The volume is not what it was.',
  );
  tally.compare(
    'look',
    number,
    `${name}, label`,
    promised.label || 'none',
    volume.label || 'none',
    'It has another label than before.',
  );
  if (volume.dirty) {
    tally.differs(
      'wrong',
      number,
      `${name}, check`,
      'sound',
      'asks for a check',
      'Let the file check run to its end, then survey again.',
    );
  }
  if (volume.bootSectorDamaged) {
    tally.differs(
      'wrong',
      number,
      `${name}, boot sector`,
      'sound',
      'damaged',
      'Only its backup is sound. Write it anew from that, check the file system, then survey again.',
    );
  }
  compareEncryption(promised, volume.encryption, tally);
  const data = promised.role === 'data' || promised.role === 'windows';
  if (!data || promised.used === null || volume.used === null) return;
  if (volume.used < promised.used * MIN_KEPT) {
    tally.differs(
      'look',
      number,
      `${name}, in use`,
      formatSize(promised.used),
      formatSize(volume.used),
      'It holds less than before the work. Emptied bins and temporary files are one reason; compare the files to be sure.',
    );
  } else tally.holds();
}

function compareEncryption(
  { number, name, encryption }: PromisedPartition,
  now: { state: string; percent: number },
  tally: Tally,
): void {
  if (encryption === 'on' && now.state === 'encrypting') {
    tally.differs(
      'look',
      number,
      `${name}, encryption`,
      'on',
      `encrypting, ${now.percent} %`,
      'It is being switched on again; it goes on by itself. The machine is safe to hand over once it says on.',
    );
    return;
  }
  tally.compare(
    'wrong',
    number,
    `${name}, encryption`,
    encryption,
    now.state,
    encryption === 'off'
      ? 'It was not encrypted before.'
      : 'Encryption was on before the work: switch it on again, and give the owner the new key.',
  );
}

/**
 * The disk that was worked on, in the survey from before; where everything went to another one, the disk that it came
 * from.
 */
const diskBefore = (
  { disk, promise: { from } }: WorkSheet,
  before: SurveyDocument,
  now: Disk,
): Disk | undefined =>
  machineOf(before).disks.find((one) =>
    from === undefined
      ? one.number === disk.number || (one.id !== '' && one.id === now.id)
      : one.number === from,
  );

function volumesOf(
  { promise }: WorkSheet,
  old: Disk | undefined,
  disk: Disk,
  pairs: ReadonlyMap<PromisedPartition, Partition | null>,
): LayoutProof['volumes'] {
  const fill = (on: Disk | undefined, one: Partition | null | undefined): Fill | null =>
    on && one ? { size: bytesOf(on, one), used: one.volume?.used ?? null } : null;
  return promise.partitions
    .filter((one) => one.fileSystem !== null)
    .map((promised) => ({
      name: promised.name,
      before: fill(
        old,
        old?.partitions.find((one) => one.number === promised.number),
      ),
      after: fill(disk, pairs.get(promised)),
    }));
}
