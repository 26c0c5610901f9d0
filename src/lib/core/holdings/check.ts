import { partitionsOf } from './places';
import { failure, success, type Outcome, type Problem } from '../problem';
import type { SurveyDocument } from '../survey';
import { formatSize } from '../units';
import { MAX_DEPTH, type Holdings, type VolumeHoldings } from './document';

const MAX_PROBLEMS = 20;
/**
 * Share of a volume by which its use may differ between a survey and its holdings: what was written between the two.
 */
const MAX_DIFFERENCE = 0.1;

/**
 * Holds a document's figures against each other: its form is checked already. Codes: `used` (more than there is),
 * `order` (a folder before the one it lies in), `deep` (folders in each other deeper than any), `sum` (folders within
 * hold more than the folder), `twice` (a volume told twice).
 */
export function checkHoldings({ volumes }: Holdings): Problem[] {
  const problems: Problem[] = [];
  const seen = new Set<string>();
  volumes.forEach((volume, i) => {
    const path = `/volumes/${i}`;
    const key = `${volume.disk} ${volume.partition}`;
    if (seen.has(key))
      problems.push({
        code: 'twice',
        path,
        message: `Partition ${volume.partition} of disk ${volume.disk} is told twice.`,
      });
    seen.add(key);
    problems.push(...faultsOf(volume, path));
  });
  return problems.slice(0, MAX_PROBLEMS);
}

function faultsOf({ size, used, folders, files }: VolumeHoldings, path: string): Problem[] {
  const problems: Problem[] = [];
  const add = (code: string, at: string, message: string) =>
    problems.push({ code, path: `${path}${at}`, message });
  if (used > size) add('used', '/used', `${formatSize(used)} are in use of ${formatSize(size)}.`);
  const within = new Float64Array(folders.length);
  const depth = new Uint16Array(folders.length);
  folders.forEach((folder, place) => {
    const at = `/folders/${place}`;
    if ((folder.in === null) !== (place === 0))
      add(
        'order',
        `${at}/in`,
        place === 0
          ? 'The first folder is the root, which lies in none.'
          : 'Only the first folder is the root.',
      );
    else if (folder.in !== null && folder.in >= place)
      add('order', `${at}/in`, 'A folder stands behind the one that it lies in.');
    else if (folder.in !== null) {
      within[folder.in]! += folder.bytes;
      depth[place] = depth[folder.in]! + 1;
      if (depth[place]! === MAX_DEPTH + 1)
        add('deep', at, `“${folder.name}” lies deeper than ${MAX_DEPTH} folders in each other.`);
    }
  });
  folders.forEach((folder, place) => {
    if (within[place]! > folder.bytes)
      add('sum', `/folders/${place}/bytes`, `The folders in “${folder.name}” hold more than it does.`);
  });
  const inFiles = new Float64Array(folders.length);
  files.forEach((file, place) => {
    if (file.in >= folders.length) add('order', `/files/${place}/in`, 'There is no such folder in the list.');
    else inFiles[file.in]! += file.bytes;
  });
  folders.forEach((folder, place) => {
    if (inFiles[place]! + within[place]! > folder.bytes && within[place]! <= folder.bytes)
      add('sum', `/folders/${place}/bytes`, `The files in “${folder.name}” hold more than it does.`);
  });
  return problems;
}

/**
 * The same document with its volumes at their places in a survey: by letter where both know letters, else by disk and
 * partition. Problem codes: those of {@link checkHoldings}, `not-there`, `other-size`, `other-use`.
 */
export function placeHoldings(survey: SurveyDocument, holdings: Holdings): Outcome<Holdings> {
  const faults = checkHoldings(holdings);
  if (faults.length > 0) return failure(...faults);
  const all = partitionsOf(survey);
  const problems: Problem[] = [];
  const seen = new Set<string>();
  const volumes = holdings.volumes.map((volume, i) => {
    const path = `/volumes/${i}`;
    const name = volume.letter
      ? `${volume.letter.toUpperCase()}:`
      : `partition ${volume.partition} of disk ${volume.disk}`;
    const byLetter = all.find((one) => volume.letter && one.letter === volume.letter.toUpperCase());
    const found =
      byLetter ?? all.find((one) => one.disk === volume.disk && one.partition === volume.partition);
    if (!found?.volume) {
      problems.push({
        code: 'not-there',
        path,
        message: `The survey has no volume ${name}. Are the holdings of this machine? Survey it anew, with its holdings.`,
      });
      return volume;
    }
    if (found.volume.size !== volume.size)
      problems.push({
        code: 'other-size',
        path: `${path}/size`,
        message: `${name} has ${formatSize(volume.size)} in the holdings and ${formatSize(found.volume.size)} in the survey. Are they of this machine, and taken together?`,
      });
    else if (Math.abs((found.volume.used ?? volume.used) - volume.used) > MAX_DIFFERENCE * volume.size)
      problems.push({
        code: 'other-use',
        path: `${path}/used`,
        message: `Of ${name} ${formatSize(volume.used)} are in use in the holdings and ${formatSize(found.volume.used!)} in the survey. Survey the machine anew, with its holdings.`,
      });
    // One may be told by its letter and another by its number.
    const key = `${found.disk} ${found.partition}`;
    if (seen.has(key)) problems.push({ code: 'twice', path, message: `${name} is told twice.` });
    seen.add(key);
    return { ...volume, disk: found.disk, partition: found.partition };
  });
  return problems.length > 0
    ? failure(...problems.slice(0, MAX_PROBLEMS))
    : success({ ...holdings, volumes });
}
