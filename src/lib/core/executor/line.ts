/** Number of power cuts, as part of a sentence; '' where there was none. */
export const describeCuts = (cuts: number): string =>
  cuts === 0 ? '' : cuts === 1 ? ', one power cut' : `, ${cuts} power cuts`;

/** Outcome of a rehearsal, for whoever works from the sheet of the same route; null where there is none. */
export function describeRehearsal(
  rehearsal: {
    verdict: 'proved' | 'differs' | null;
    at: string;
    cuts: number;
    elsewhere: boolean;
    place: 'stand-in' | 'copy' | 'image';
    image: string | null;
  } | null,
): string | null {
  if (!rehearsal?.verdict) return null;
  const { verdict, at, cuts, elsewhere, place, image } = rehearsal;
  const where = elsewhere ? ' of another bench, not verified here,' : '';
  const done = {
    'stand-in': `Rehearsed on a stand-in${where}`,
    copy: `Carried out on a copy of ${image}`,
    image: `Carried out on ${image}`,
  }[place];
  const begins = `${done} on ${at.slice(0, 10)}:`;
  return verdict === 'proved'
    ? `${begins} nothing lost${describeCuts(cuts)}.`
    : `${begins} not as promised${describeCuts(cuts)}. See ${place === 'image' ? 'what came of it before you go on' : 'the rehearsal before you begin'}.`;
}
