import {
  closeSync,
  ftruncateSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { MemoryDevice, PAGE } from '$core/executor/devices/memory';
import type { FileEvent } from './recording';

/** A file that no name leads to is gone; its bytes lie here as long as one may. */
type Files = { names: Map<string, number>; bytes: Map<number, MemoryDevice> };

const SECTOR = 512;

/** Reads the files of a folder. */
export function filesIn(folder: string): Files {
  const files: Files = { names: new Map(), bytes: new Map() };
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    const { ino } = statSync(path);
    const content = readFileSync(path);
    const device = new MemoryDevice(content.length, 1);
    void device.write(0, content);
    files.names.set(name, ino);
    files.bytes.set(ino, device);
  }
  return files;
}

/** Makes a folder hold just some files. */
export function writeFiles(files: Files, folder: string): void {
  for (const name of readdirSync(folder)) rmSync(join(folder, name));
  for (const [name, inode] of files.names) {
    const device = files.bytes.get(inode)!;
    const file = openSync(join(folder, name), 'w');
    ftruncateSync(file, device.size);
    for (let page = 0; page * PAGE < device.size; page++) {
      const bytes = device.pageAt(page);
      if (bytes) writeSync(file, bytes, 0, Math.min(PAGE, device.size - page * PAGE), page * PAGE);
    }
    closeSync(file);
  }
}

/** Origin of a state after a cut. */
export interface FileCut {
  /** The event before which the power goes. */
  at: number;
  way: 'all lost' | 'none lost' | 'some lost' | 'torn';
}

/**
 * Every state that the files of a folder can be found in after a cut: of what was not flushed any may be lost, alone or
 * with others, a write may be torn between sectors, and a name counts only once its folder was flushed. Names are lost
 * from the last one on, as file systems with a journal lose them.
 */
export class FileStates {
  private at = 0;
  private readonly safe: Files;
  private pending: FileEvent[] = [];

  constructor(
    before: Files,
    private readonly events: readonly FileEvent[],
  ) {
    this.safe = copied(before);
  }

  /** The files as they are found. Cuts are asked for in the order of their events. */
  found({ at, way }: FileCut, random: () => number): Files {
    for (; this.at < at; this.at++) this.take(this.events[this.at]!);
    const files = copied(this.safe);
    const names = this.pending.filter(isName);
    const kept =
      way === 'all lost' ? 0 : way === 'some lost' ? Math.floor(random() * (names.length + 1)) : names.length;
    const last = new Set(names.slice(0, kept));
    for (const event of this.pending)
      if (isName(event) ? last.has(event) : way !== 'all lost' && (way !== 'some lost' || random() < 0.5))
        apply(files, event);
    const next = this.events[at];
    if (way === 'torn' && next?.kind === 'write') {
      const sectors = Math.floor(random() * Math.ceil(next.bytes.length / SECTOR));
      apply(files, { ...next, bytes: next.bytes.subarray(0, sectors * SECTOR) });
    }
    // What no name leads to is not found.
    return files;
  }

  private take(event: FileEvent): void {
    if (event.kind !== 'flush' && event.kind !== 'flush-folder') {
      this.pending.push(event);
      return;
    }
    const now = (one: FileEvent) =>
      event.kind === 'flush' ? !isName(one) && 'inode' in one && one.inode === event.inode : isName(one);
    for (const one of this.pending.filter(now)) apply(this.safe, one);
    this.pending = this.pending.filter((one) => !now(one));
  }
}

const isName = ({ kind }: FileEvent): boolean =>
  kind === 'create' || kind === 'rename' || kind === 'link' || kind === 'unlink';

const copied = ({ names, bytes }: Files): Files => ({
  names: new Map(names),
  bytes: new Map([...bytes].map(([inode, device]) => [inode, device.copy()])),
});

/** Memory devices do what they are asked for before they return. */
function apply({ names, bytes }: Files, event: FileEvent): void {
  const fileOf = (inode: number): MemoryDevice => {
    const known = bytes.get(inode) ?? new MemoryDevice(0, 1);
    bytes.set(inode, known);
    return known;
  };
  switch (event.kind) {
    case 'create':
      fileOf(event.inode);
      names.set(event.name, event.inode);
      return;
    case 'write': {
      const file = fileOf(event.inode);
      if (event.offset + event.bytes.length > file.size) void file.resize(event.offset + event.bytes.length);
      void file.write(event.offset, event.bytes);
      return;
    }
    case 'truncate':
      void fileOf(event.inode).resize(event.size);
      return;
    case 'rename':
    case 'link': {
      const inode = names.get(event.name);
      if (inode === undefined) return;
      names.set(event.to, inode);
      if (event.kind === 'rename') names.delete(event.name);
      return;
    }
    case 'unlink':
      names.delete(event.name);
  }
}
