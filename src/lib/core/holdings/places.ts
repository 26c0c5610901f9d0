import type { SurveyDocument, SurveyVolume } from '../survey';

/** A partition of a survey with its place. */
export interface PlacedPartition {
  disk: number;
  partition: number;
  letter: string | null;
  volume: SurveyVolume | null;
}

export const partitionsOf = (survey: SurveyDocument): PlacedPartition[] =>
  survey.disks.flatMap((disk) =>
    disk.partitions.map((one) => ({
      disk: disk.number,
      partition: one.number,
      letter: one.letter?.toUpperCase() ?? null,
      volume: one.volume ?? null,
    })),
  );
