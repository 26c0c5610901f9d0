import type { Pace } from '$contract/rehearsalStates';
import type { SheetSource } from '$contract/sheetSource';
import type { RehearsalProgress } from '$contract/rehearsals';
import type { Device, Inventory } from '$core/executor';
import type { Step } from '$core/steps';
import type { SurveyDocument } from '$core/survey';
import type { Site } from './site';

/** A run's route and place. */
export interface RehearsalInput {
  site: Site;
  survey: SurveyDocument;
  disk: number;
  steps: readonly Step[];
  /** Source of a work sheet of the route. */
  source: SheetSource;
  next: 'forward' | 'back' | 'cancel';
  afterCut: boolean;
  pace: Pace;
  /** Extent of reading for the proof of an image. */
  extent: Inventory['extent'];
  /** Its former progress. */
  progress: RehearsalProgress;
  seed: number;
}

/** A disk that is open to be worked on. */
export interface RunContext {
  device: Device;
  /** The files that it lies in, and its serial number where it has one. */
  files: readonly string[];
  serial: string | null;
  /**
   * @param how `ended`: nothing more is to be done on it; else it is found as it lies. `entered`: it was found to be
   *   the disk of its journal
   */
  leave(how: { ended: boolean; entered: boolean }): Promise<void>;
}
