/** A moment for reading: "20 Nov 2026, 09:30". Surveys are dated in UTC. */
export const utc = (moment: string | Date): string =>
  new Date(moment).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' });

/** The same for tables: "2026-11-20 09:30". */
export const formatMinute = (moment: string): string => moment.slice(0, 16).replace('T', ' ');

const SOURCE = { document: 'document', image: 'disk image', hand: 'by hand' } as const;

/** How a survey came, in a few words. */
export const nameSource = (source: keyof typeof SOURCE): string => SOURCE[source];

/** A survey in a list: "20 Nov 2026, 09:30 UTC · document · 5 partitions". */
export const surveyLine = (survey: {
  takenAt: string | Date;
  source: keyof typeof SOURCE;
  partitions: number;
}): string =>
  `${utc(survey.takenAt)} UTC · ${SOURCE[survey.source]} · ${survey.partitions} ${survey.partitions === 1 ? 'partition' : 'partitions'}`;
