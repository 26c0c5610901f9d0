import type { Intent, Step, Verb } from './step';
import { bootCheck } from './bootCheck';
import { clone } from './clone';
import { convertTable } from './convertTable';
import { convertVolume } from './convertVolume';
import { copy } from './copy';
import { create } from './create';
import { decrypt } from './decrypt';
import { remove } from './delete';
import { enlargeDisk } from './enlargeDisk';
import { extend } from './extend';
import { join } from './join';
import { makeTable } from './makeTable';
import { move } from './move';
import { moveFolders } from './moveFolders';
import { putBack } from './putBack';
import { relocateTable } from './relocateTable';
import { setAside } from './setAside';
import { oneOfWords } from '../shapes';
import { shrink } from './shrink';
import type { VerbModule } from './verb';

/** Every verb, in the order in which a reader meets them. One that is missing, or lacks a part, does not compile. */
const MODULES: { readonly [V in Verb]: VerbModule<V> } = {
  'relocate-table': relocateTable,
  'enlarge-disk': enlargeDisk,
  shrink,
  move,
  extend,
  delete: remove,
  create,
  copy,
  'set-aside': setAside,
  'put-back': putBack,
  decrypt,
  'convert-volume': convertVolume,
  'convert-table': convertTable,
  join,
  'move-folders': moveFolders,
  'make-table': makeTable,
  clone,
  'boot-check': bootCheck,
};

export const VERBS = Object.keys(MODULES) as readonly Verb[];

/** The module of a verb. */
export const moduleOf = <V extends Verb>(verb: V): VerbModule<V> => MODULES[verb];

/**
 * The verb of an intent. What comes back from an outside place is an intent of its own, and a step like any other of
 * its verb.
 */
const verbOf = ({ verb }: Intent): Verb =>
  verb === 'copy-back' ? 'copy' : verb === 'join-back' ? 'join' : verb;

/** The module of an intent. */
export const findModule = (intent: Intent): VerbModule<Verb> => moduleOf(verbOf(intent));

const modules = Object.entries(MODULES);

/** The shape of a step as it travels. */
export const StepShape = oneOfWords<Step>(
  'verb',
  Object.fromEntries(modules.map(([verb, { step }]) => [verb, step])),
);

/** The shape of an intent. */
export const IntentShape = oneOfWords<Intent>(
  'verb',
  Object.assign({}, ...modules.map(([, { intents }]) => intents)),
);
