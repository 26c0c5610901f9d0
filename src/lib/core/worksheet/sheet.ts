import { type Seconds } from '../tools';
import type { Figure, Verb } from '../steps';
import type { EncryptionState, FileSystem, Media, PartitionKind, Role, TableKind } from '../disk';
import type { Difficulty } from '../planning';

export const SHEET_FORMAT = 'gentle-tide/work-sheet';

/**
 * A work sheet as it is kept: everything that is printed or shown of it, so that it stays as it was made whatever
 * becomes of settings and surveys. Sizes and positions in bytes, where a name does not say sectors.
 */
export interface WorkSheet {
  format: typeof SHEET_FORMAT;
  version: 1;
  kit: { id: string; name: string };
  title: string;
  difficulty: { grade: Difficulty; why: string };
  noReturn: { step: number; why: string } | null;
  target: { partition: number; name: string; from: number; to: number };
  disk: SheetDisk;
  /** The layout as found, from left to right. */
  asFound: Piece[];
  before: Check[];
  runs: Run[];
  whileItRuns: { normal: string[]; never: string[] };
  after: Check[];
  promise: Promised;
  /** What is worth knowing of the whole, such as a goal that is not reached. */
  notes: string[];
  totals: {
    bytesCopied: number;
    exposedBytes: number;
    restarts: number;
    handsOn: Seconds;
    waiting: Seconds;
    exposed: Seconds;
  };
}

export interface SheetDisk {
  /** Counted from 0. */
  number: number;
  model: string;
  serial: string;
  /** GUID, or the signature on MBR; empty where it is not known. */
  id: string;
  bytes: number;
  sectorSize: number;
  media: Media;
  table: TableKind;
}

/** The disk as it will be left, to be held against a survey taken afterwards. */
export interface Promised {
  /** Bytes of the whole disk. */
  diskBytes: number;
  recoveryEnabled: boolean;
  partitions: PromisedPartition[];
}

export interface PromisedPartition {
  number: number;
  name: string;
  kind: PartitionKind;
  role: Role;
  first: number;
  sectors: number;
  type: string;
  attributes: string;
  /** Its GUID; null where there is none, or where the partition is made anew and gets another. */
  id: string | null;
  /** Made anew on the way: its GUID, and details that no tool sets, may differ. */
  remade: boolean;
  letter: string | null;
  fileSystem: FileSystem | null;
  label: string;
  /** Bytes in use as found, where that was known. */
  used: number | null;
  encryption: EncryptionState;
}

/** What a disk shows in one place: a partition, or unallocated space of 1 MiB or more. */
export interface Piece {
  /** Null for unallocated space. */
  number: number | null;
  name: string;
  role: Role | null;
  letter: string | null;
  first: number;
  sectors: number;
  /** Bytes in use, where that is known. */
  used: number | null;
}

/** Something to be seen to, with what it needs to be done exactly. */
export interface Check {
  id: string;
  title: string;
  /** Sentences, one after the other. */
  text: string[];
  /** To be read off or noted: label and text. */
  values: { label: string; text: string }[];
  /** What must be written down when it is ticked. */
  asks: { id: string; label: string }[];
  script: Script | null;
  handsOn: Seconds;
  waiting: Seconds;
}

/** Lines ready to be copied into a Windows PowerShell that was started as administrator. */
export interface Script {
  title: string;
  text: string;
}

/** Consecutive steps with one tool. */
export interface Run {
  id: string;
  tool: { id: string; name: string; notes: string };
  /** The disk's number as this tool counts. */
  disk: number;
  countsFrom: 0 | 1;
  /** Whether it only stages what is entered, until it is told to commit; Windows stages nothing. */
  staged: boolean;
  open: Check[];
  /** Files are copied for real before anything that rests on them is staged, so a run may have several parts. */
  parts: Part[];
  close: Check[];
}

/** Steps that become real together. */
export interface Part {
  steps: SheetStep[];
  /** Where they do; null where each step is real at once. */
  commit: Check | null;
}

/** Every step of a sheet, in order. */
export const stepsOf = (sheet: Pick<WorkSheet, 'runs'>): SheetStep[] =>
  sheet.runs.flatMap((run) => run.parts.flatMap((part) => part.steps));

export interface SheetStep {
  id: string;
  /** Counted from 1 over the whole sheet. */
  number: number;
  verb: Verb;
  title: string;
  /** How to tell the partition from the others; null for the whole disk. */
  partition: { name: string; number: number; place: string; first: number; bytes: number } | null;
  do: string[];
  figures: Figure[];
  /** What a partition is made with: label and text. */
  values: { label: string; text: string }[];
  why: string;
  bytesCopied: number;
  handsOn: Seconds;
  /** Of a staged step it passes at its commit point. */
  waiting: Seconds;
  exposed: Seconds;
  see: { text: string; pieces: Piece[]; changed: number | null };
  ifNot: string[];
  wrong: {
    /** What the disk is like if it stops half-way. */
    midway: string;
    /** The steps back to the layout as found once it is done, and what they do not bring back. */
    back: string[];
    lost: string[];
  };
  script: Script | null;
}
