/** Certainty that nobody misses it. `made-anew`: Windows or a program makes it again where it needs it. */
export const SURENESS = ['made-anew', 'look-first', 'owner-says'] as const;
export type Sureness = (typeof SURENESS)[number];

/**
 * Something that can go from a Windows volume, and where it lies: paths as {@link HoldingsTree.find} reads them, or
 * told otherwise (`freeable.ts`).
 */
export interface Rule {
  id: string;
  name: string;
  what: string;
  lost: string;
  /** Sentences that say how, by Windows' own settings. */
  how: readonly string[];
  /** Lines for Windows PowerShell, as administrator, where a command of Windows does it or shows it. */
  script?: readonly string[];
  sure: Sureness;
  folders?: readonly string[];
  /** Files, by their path. */
  files?: readonly string[];
}

const TEMPORARY_SETTING = 'Settings, System, Storage, Temporary files';

/**
 * What fills Windows volumes and can go, from what Windows itself lists as temporary, and the files that it keeps for
 * its own comfort. What must stay although it is large (the component store, \Windows\Installer) is not among them.
 */
export const RULES: readonly Rule[] = [
  {
    id: 'earlier-windows',
    name: 'An earlier Windows installation',
    what: 'Windows keeps the version before its last upgrade, with what lay in its folders.',
    lost: 'Going back to that version. Files of people that were left in it go as well.',
    how: [
      'Look into its Users folder first, and bring back what is missed.',
      `${TEMPORARY_SETTING}: tick previous Windows installations, and remove.`,
    ],
    sure: 'look-first',
    folders: ['Windows.old', 'Windows.old.000', 'Windows.old.001', 'Windows.old(1)'],
  },
  {
    id: 'updates',
    name: 'Downloaded updates',
    what: 'Updates and upgrades that were downloaded, and parts that are shared with other machines.',
    lost: 'Nothing: what is still needed is downloaded again.',
    how: [
      'Let an update that is waiting for a restart finish first.',
      `${TEMPORARY_SETTING}: tick what is named after updates and delivery, and remove.`,
    ],
    sure: 'made-anew',
    folders: [
      'Windows\\SoftwareDistribution\\Download',
      'Windows\\SoftwareDistribution\\DeliveryOptimization',
      'Windows\\ServiceProfiles\\NetworkService\\AppData\\Local\\Microsoft\\Windows\\DeliveryOptimization',
      '$WINDOWS.~BT',
      '$Windows.~WS',
      '$GetCurrent',
      'ESD',
    ],
  },
  {
    id: 'recycle-bins',
    name: 'Recycle bins',
    what: 'What people deleted on this volume, each in a bin of their own.',
    lost: 'Bringing back what was deleted by mistake.',
    how: [
      'Ask everybody who uses the machine whether something in the bin is missed.',
      `${TEMPORARY_SETTING}: tick the recycle bin, and remove; each person for the own bin.`,
    ],
    sure: 'look-first',
    folders: ['$Recycle.Bin', 'RECYCLER', 'Recycled'],
  },
  {
    id: 'temporary',
    name: 'Temporary folders',
    what: 'What programs and Windows put down for a while and did not take away.',
    lost: 'Nothing that was saved. Close all programs first, and restart once: what is in use stays.',
    how: [`${TEMPORARY_SETTING}: tick temporary files, and remove; each person for the own ones.`],
    sure: 'made-anew',
    folders: ['Windows\\Temp', 'Users\\*\\AppData\\Local\\Temp', 'Temp'],
  },
  {
    id: 'crash-dumps',
    name: 'Crash dumps and error reports',
    what: 'Pictures of memory that Windows and programs wrote when they failed.',
    lost: 'Finding out from them why it failed.',
    how: [`${TEMPORARY_SETTING}: tick what is named after error reports and memory dumps, and remove.`],
    sure: 'made-anew',
    folders: [
      'Windows\\Minidump',
      'Windows\\LiveKernelReports',
      'ProgramData\\Microsoft\\Windows\\WER',
      'Users\\*\\AppData\\Local\\CrashDumps',
    ],
    files: ['Windows\\MEMORY.DMP'],
  },
  {
    id: 'hibernation',
    name: 'The hibernation file',
    what: 'Room for the contents of memory while the machine sleeps without power, and for fast start.',
    lost: 'Hibernation and fast start. It can be switched on again, and the file comes back.',
    how: ['Shut the machine down fully once; then the line below.'],
    script: ['powercfg.exe /hibernate off'],
    sure: 'made-anew',
    files: ['hiberfil.sys'],
  },
  {
    id: 'driver-leftovers',
    name: 'What driver installers unpacked',
    what: 'Folders in the root into which driver packages unpacked themselves before they were installed.',
    lost: 'Installing the same package again without its download.',
    how: [
      'The drivers themselves are installed elsewhere. Look that nothing else lies there, and delete the folder.',
    ],
    sure: 'look-first',
    folders: ['AMD', 'Intel', 'NVIDIA', 'SWSetup', 'Drivers'],
  },
  {
    id: 'installer-caches',
    name: 'Installers that were kept',
    what: 'Copies of set-up files that programs keep to repair or remove themselves.',
    lost: 'Repairing or removing those programs without their medium.',
    how: [
      'Remove programs that nobody uses (Settings, Apps): their set-up files go with them. The folder itself is not deleted.',
    ],
    sure: 'owner-says',
    folders: ['ProgramData\\Package Cache', 'MSOCache'],
  },
  {
    id: 'caches',
    name: 'Caches of browsers and programs',
    what: 'Pages and pictures that browsers and programs keep so that they need not be fetched again.',
    lost: 'Nothing but some speed the first time.',
    how: ['In each browser and program: clear what is cached, and leave passwords and history alone.'],
    sure: 'made-anew',
    folders: ['Cache', 'Caches', 'Cache2', 'Code Cache', 'GPUCache', 'INetCache', 'Media Cache'].map(
      (name) => `Users\\*\\AppData\\Local\\**\\${name}`,
    ),
  },
  {
    id: 'page-file',
    name: 'An oversized page file',
    what: 'Somebody set a fixed size for it, larger than Windows would make it.',
    lost: 'Nothing, unless a program asked for that size: ask who set it.',
    how: [
      'Settings, System, About, Advanced system settings, Performance, Advanced, Virtual memory: let Windows manage it, and restart.',
      'What comes back is what is above 8 GiB, as a guess: its size then follows the memory of the machine.',
    ],
    sure: 'owner-says',
  },
  {
    id: 'restore-points',
    name: 'Restore points',
    what: 'Earlier states of Windows and of files, which it keeps to go back to.',
    lost: 'Going back to any of those states, and earlier versions of files.',
    how: [
      'Until the backup of this work is made these are the only way back: let them go last.',
      'The line below shows how much they take; Settings, System, About, System protection deletes them.',
    ],
    script: ['vssadmin.exe list shadowstorage'],
    sure: 'look-first',
  },
  {
    id: 'old-downloads',
    name: 'Big downloads that nobody opened for a year',
    what: 'Files of 100 MiB and more among the downloads, neither changed nor, as far as Windows notes it, opened since.',
    lost: 'The files themselves. What can’t be fetched again goes to another disk first.',
    how: ['Go through the list with the owner; delete what is not wanted, in the folder itself.'],
    sure: 'owner-says',
  },
];

const BY_ID = new Map(RULES.map((rule) => [rule.id, rule]));

/** Rule of something that can go, by its id; null: another release knew it. */
export const ruleOf = (id: string): Rule | null => BY_ID.get(id) ?? null;

/** A page file above this is larger than Windows makes one without being told to. */
export const LARGE_PAGE_FILE = 12 * 2 ** 30;
/** Room that is left to it where it is managed by Windows: a guess, since its size follows the memory. */
export const USUAL_PAGE_FILE = 8 * 2 ** 30;
/** Names of the areas of shadow copies (domain facts 4). */
export const SHADOW_AREA = '{3808876b-c176-4e48-b7ae-04046e6cc752}';
/** Downloads count as old where nothing was done with them for so many days, and as big from so many bytes. */
export const OLD_DAYS = 365;
export const BIG_DOWNLOAD = 100 * 2 ** 20;
/** Personal folders are offered for moving from this size on. */
export const LARGE_PERSONAL = 2 ** 30;
/** Folders of people that Windows lets move elsewhere, by their name in each person's own. */
export const PERSONAL = ['Documents', 'Pictures', 'Videos', 'Music', 'Downloads', 'Desktop'];
