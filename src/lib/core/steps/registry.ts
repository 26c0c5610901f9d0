import { type Intent, type Step, type Verb } from './step';
import { convertVolume } from './convertVolume';
import { copy } from './copy';
import { create } from './create';
import { decrypt } from './decrypt';
import { remove } from './delete';
import { enlargeDisk } from './enlargeDisk';
import { extend } from './extend';
import { move } from './move';
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
};

export const VERBS = Object.keys(MODULES) as readonly Verb[];

/** The module of a verb. */
export const moduleOf = <V extends Verb>(verb: V): VerbModule<V> => MODULES[verb];

/** The module of an intent. Copying back is an intent of its own, and a step like any copy. */
export const moduleFor = (intent: Intent): VerbModule<Verb> =>
  moduleOf(intent.verb === 'copy-back' ? 'copy' : intent.verb);

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
