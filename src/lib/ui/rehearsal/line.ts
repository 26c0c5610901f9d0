/** What the newest rehearsal of the chosen route came to, as one line; null: there is none, or it proved nothing. */
export function rehearsalLine(
  rehearsal: { verdict: string | null; current: boolean; changedAt: Date; cuts: number } | null,
): string | null {
  if (!rehearsal?.current || rehearsal.verdict !== 'proved') return null;
  const { changedAt, cuts } = rehearsal;
  const power = cuts === 0 ? '' : cuts === 1 ? ', one power cut' : `, ${cuts} power cuts`;
  return `Rehearsed on a stand-in on ${changedAt.toISOString().slice(0, 10)}: nothing lost${power}.`;
}
