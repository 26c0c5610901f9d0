import { latin1, viewOf } from '../../bytes';
import { ReadBeyondEnd, type ByteSource } from '../../images/source';
import { type Problem, refusal } from '../../problem';
import { isEncryptedVolume } from '../../volumes/encrypted';
import { findSoundExfatBoot } from '../../volumes/exfat';
import { recogniseVolume } from '../../volumes/recognise';
import { parseNtfsBoot } from '../../volumes/ntfs/bootSector';
import { logState } from '../../volumes/ntfs/log';
import { ATTRIBUTE, parseRecord } from '../../volumes/ntfs/record';
import { NtfsDamage, NtfsVolume } from '../../volumes/ntfs/volume';
import { kindOf } from './usedExtents';

export const describeEncryptedProblem = (name: string): Problem => ({
  code: 'encrypted',
  path: '',
  message: `${name} is encrypted; it is touched only once it is fully decrypted.`,
});

const RECORD = { mft: 0, mirror: 1, log: 2, volume: 3 } as const;
const LOG_HEAD = 8192;

/**
 * Why a volume is not touched, or null. Asked before the first write, and again before each step.
 *
 * Problem codes: `encrypted`, `damaged`, `dirty`, `hibernated`, `log-not-clean`, `version`.
 * @param marked the run itself marked it to be checked at the next start; that alone is no reason
 */
export async function unsound(
  source: ByteSource,
  sectorSize: number,
  name: string,
  marked: boolean,
): Promise<Problem | null> {
  const no = (code: string, message: string): Problem => refusal(code, message).problems[0];
  const damaged = (reason: string) =>
    no('damaged', `${name} is damaged: ${reason}. Let a file check mend it first.`);
  try {
    const boot = await source.read(0, Math.min(512, source.size));
    if (boot.length === 512 && (await isEncryptedVolume(source, boot))) return describeEncryptedProblem(name);
    const kind = await kindOf(source);
    const { volume, gaps, hibernated } = await recogniseVolume(source, sectorSize, () => {});
    if (volume.bootSector === 'backup') return damaged('its boot sector can’t be used');
    if (kind === 'unknown') return null;
    if (volume.used == null) return damaged(gaps[0] ?? 'what it holds could not be counted');
    if (hibernated)
      return no(
        'hibernated',
        `A hibernated system sleeps in ${name}. Start it and shut it down fully first.`,
      );
    if (volume.dirty && !marked)
      return no('dirty', `${name} was not taken down cleanly. Let a file check mend it first.`);
    if (kind === 'exfat' && !(await findSoundExfatBoot(source)))
      return damaged('its boot region has a wrong checksum');
    return kind === 'ntfs' ? await unsoundNtfs(source, name, no, damaged) : null;
  } catch (error) {
    if (error instanceof NtfsDamage) return damaged(error.message);
    if (error instanceof ReadBeyondEnd) return damaged('its structures point outside of it');
    throw error;
  }
}

async function unsoundNtfs(
  source: ByteSource,
  name: string,
  no: (code: string, message: string) => Problem,
  damaged: (reason: string) => Problem,
): Promise<Problem | null> {
  const boot = parseNtfsBoot(await source.read(0, 512));
  if (!boot) return damaged('its boot sector holds impossible values');
  const volume = await NtfsVolume.open(source, boot);
  const { content } = await volume.stream(RECORD.volume, ATTRIBUTE.volumeInformation);
  const information = 'resident' in content ? content.resident : new Uint8Array(12);
  const version = `${information[8]}.${information[9]}`;
  if (version !== '3.1')
    return no('version', `${name} has version ${version} of NTFS; only 3.1 is worked on here.`);
  const log = await volume.stream(RECORD.log, ATTRIBUTE.data);
  const head = await volume.range(log, 0, Math.min(LOG_HEAD, log.size));
  if (log.size < LOG_HEAD || logState(head) === 'open') {
    return no(
      'log-not-clean',
      `The log of ${name} still holds changes that Windows has to finish. Start Windows, and shut it down fully.`,
    );
  }
  return (await mirrored(source, volume)) ? null : damaged('$MFT and $MFTMirr differ');
}

/** Whether the copies in `$MFTMirr` say what the records say; the number in the update sequence may differ. */
async function mirrored(source: ByteSource, volume: NtfsVolume): Promise<boolean> {
  const { recordSize } = volume.boot;
  const mirror = await volume.stream(RECORD.mirror, ATTRIBUTE.data);
  const copies = Math.min(4, Math.floor(mirror.size / recordSize));
  if (copies < 4) return false;
  for (let number = 0; number < copies; number++) {
    const copy = await volume.range(mirror, number * recordSize, recordSize);
    const own = new Uint8Array(recordSize);
    let at = 0;
    for (const { offset, length } of volume.recordPlaces(number)) {
      own.set(await source.read(offset, length), at);
      at += length;
    }
    if (latin1(copy.subarray(0, 4)) !== 'FILE' || parseRecord(copy) === null) return false;
    if (viewOf(own).getUint16(0x10, true) !== viewOf(copy).getUint16(0x10, true)) return false;
    if (JSON.stringify(parseRecord(own)) !== JSON.stringify(parseRecord(copy))) return false;
  }
  return true;
}
