const PAPERS = ['A4', 'LETTER'] as const;
export type Paper = (typeof PAPERS)[number];

/** The paper that an address asks for (`?paper=letter`); A4 where it says nothing. */
export const paperOf = (url: URL): Paper =>
  PAPERS.find((paper) => paper === url.searchParams.get('paper')?.toUpperCase()) ?? 'A4';

/** Head of a sheet on paper. */
export interface Heading {
  job: number;
  customer: string;
  machine: string;
  /** Address of the job. */
  address: string;
  made: Date;
  /** Outcome of a rehearsal of its route; null: there was none. */
  rehearsed: string | null;
  /** Why it should not be worked from, though somebody said to do so; null: it holds. */
  despite: string | null;
}
