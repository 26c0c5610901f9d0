import { scriptDone, stop } from './guard';
import { quoteLiteral } from './quote';

/** The root folder of the partition in a variable of the script. */
export const rootOf = (variable: string): string => `([string]$${variable}.DriveLetter + ':\\')`;

export const needsLetter = (variable: string, name: string): string =>
  `if ([int]$${variable}.DriveLetter -eq 0) { ${stop(`${name} has no letter. Give it one, then run this again.`)} }`;

/** Asks for the folder on an outside place. */
export const askFolder = (place: string): string[] => [
  `$place = Read-Host ${quoteLiteral(`Folder on “${place}”, for example X:\\job`)}`,
  `if (-not (Test-Path -LiteralPath $place)) { ${stop('there is no such folder.')} }`,
];

/** Copies every file, with times and permissions; links are left out, and nothing is deleted. */
export const copyRun = (from: string, to: string): string[] => [
  `robocopy.exe ${from} ${to} /E /COPYALL /DCOPY:DAT /XJ /R:1 /W:1 /XD 'System Volume Information' '$RECYCLE.BIN'`,
  `if ($LASTEXITCODE -ge 8) { ${stop('not every file was copied. Delete nothing; read what the copy said.', false)} }`,
  scriptDone('every file is copied. Compare counts and sizes before anything is deleted.'),
];
