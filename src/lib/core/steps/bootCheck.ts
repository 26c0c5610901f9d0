import { Type, type Static } from 'typebox';
import { success } from '../problem';
import { windowsAlone } from '../tools';
import { closed } from '../shapes';
import { START_ANEW } from './boot';
import { priced, refused } from './abilities';
import { SURVEY_AGAIN } from './names';
import { WHOLE_DISK } from './step';
import type { VerbModule } from './verb';

const BootCheckStep = closed({ ...WHOLE_DISK, verb: Type.Literal('boot-check') });
export type BootCheckStep = Static<typeof BootCheckStep>;
const BootCheckIntent = closed({ verb: Type.Literal('boot-check') });
export type BootCheckIntent = Static<typeof BootCheckIntent>;

export const bootCheck: VerbModule<'boot-check'> = {
  step: BootCheckStep,
  intents: { 'boot-check': BootCheckIntent },
  name: 'Start check',
  resolve({ terms, kit }) {
    if (!terms.from) return refused('The machine starts from this disk already.');
    const whole = { partition: null, id: null, from: null, to: null, bytesCopied: 0, exposedBytes: 0 };
    return priced({ ...whole, verb: 'boot-check' }, success(windowsAlone(kit)), windowsAlone(kit));
  },
  apply: (_, layout) => success(layout),
  intentOf: () => ({ verb: 'boot-check' }),
  opposite: () => ({ lost: ['Connect the old disk alone, and the machine is as it was found.'] }),
  noReturn: () => null,
  why: () =>
    'The machine is started from the new disk alone: only then has it moved, and until then the old disk is what counts.',
  object: () => 'from the new disk alone',
  line: () => 'Start the machine from the new disk alone',
  figures: () => [],
  words: ({ disk }) => ({
    title: 'Start the machine from the new disk alone',
    do: [
      'Shut Windows down fully, and take the old disk out, or its cable off. With both in it the machine may start from the wrong one, and Windows gives one of them other letters.',
      'Start it. The firmware may have to be told to start from the new disk.',
      `If it does not start: start the repair medium, open a command line there, and write the start anew: ${START_ANEW[disk.table]}.`,
    ],
    expected: 'Windows starts from the new disk, by itself, with the letters that it had.',
    ifNot: [
      'It starts neither so nor after the repair: put the old disk back. It is as it was found.',
      SURVEY_AGAIN,
    ],
    ifInterrupted: 'Nothing was written but the new disk’s start. Begin this step again.',
  }),
  script: () => null,
};
