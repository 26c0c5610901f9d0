import type { Drawing } from '$core/drawing';
import type { EffortPoint, RoutesAnswer, RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';

/** What the image worker is asked. */
export interface ReadImage {
  file: File;
  /** Further files of the same image. */
  beside: File[];
  machineName: string;
  takenAt: string;
}

/** What the planning worker is asked, and what it answers. */
export type PlanAsked =
  | { kind: 'routes'; request: RoutesRequest; milliseconds: number; nodes: number }
  | { kind: 'effort'; request: RoutesRequest; sizes: number[] }
  /** Bring a drawing to the goal from behind its first `upTo` steps. */
  | {
      kind: 'finish';
      request: RoutesRequest;
      drawing: Drawing;
      upTo: number;
      milliseconds: number;
      nodes: number;
    };

export type PlanResult =
  | { kind: 'routes'; outcome: Outcome<RoutesAnswer> }
  | { kind: 'effort'; effort: EffortPoint[] }
  | { kind: 'finish'; outcome: Outcome<Drawing> };

/** How far the planner is, 0 to 1, and with which kit. */
export interface PlanProgress {
  share: number;
  kit: string;
}
