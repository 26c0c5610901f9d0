import { FILE_SYSTEM_NAME, MBR_REACH, nameInSentence, type Disk } from '../disk';
import { isConvertible } from '../planning';
import { canConvert, getConversionRoom, tableConversion } from '../tools';
import { formatSize } from '../units';
import type { Ask, WayOut } from './wayOut';

/** The target's FAT made NTFS, which Windows extends; null: it is no FAT. */
export function convertedVolume({ task: { disk, target } }: Ask): WayOut | null {
  if (!canConvert(target)) return null;
  const name = nameInSentence(target);
  return {
    code: 'convert-volume',
    title: `Convert ${name} to NTFS`,
    detail: `Windows extends no ${FILE_SYSTEM_NAME[target.volume!.fileSystem]}, but converts it where it is, with its files. There is no way back.`,
    reason: isConvertible(disk, target)
      ? ''
      : `That needs ${formatSize(getConversionRoom(disk, target))} free in it.`,
    allows: { mayConvert: true },
  };
}

/** Limits of an MBR on this disk, as part of a sentence; empty: none. */
export function explainTableLimit({ table, sectors, sectorSize, partitions }: Disk): string {
  if (table !== 'mbr') return '';
  if (sectors > MBR_REACH + 1)
    return `nothing can lie beyond the first ${formatSize(MBR_REACH * sectorSize)} of the disk`;
  if (partitions.some(({ kind }) => kind === 'extended'))
    return 'room inside the extended partition and room outside it are apart';
  return partitions.length >= 4 ? 'all four entries are taken' : '';
}

/** The MBR made a GPT, where it is what holds the disk back; null: it is not. */
export function offerConvertedTable({ task: { disk } }: Ask): WayOut | null {
  const held = explainTableLimit(disk);
  if (held === '') return null;
  const conversion = tableConversion(disk);
  return {
    code: 'convert-table',
    title: 'Convert the partition table to GPT',
    detail: `Its old kind of table holds this disk back: ${held}. Windows converts the disk that it starts from where it is; the machine must be able to start by UEFI, and there is no way back.${
      conversion.ok && !conversion.value.reused
        ? ' Windows becomes a little smaller for it: the partition that the firmware starts from needs room.'
        : ''
    }`,
    reason: conversion.ok ? '' : conversion.problems[0]!.message,
    allows: { mayConvertTable: true },
  };
}
