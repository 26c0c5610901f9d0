import type { EffortPoint, RoutesAnswer, RoutesRequest } from '$core/planning';
import type { Outcome } from '$core/problem';

/** What the image worker is asked. */
export interface ReadImage {
  file: File;
  machineName: string;
  takenAt: string;
}

/** What the planning worker is asked, and what it answers. */
export type PlanAsked =
  | { kind: 'routes'; request: RoutesRequest; milliseconds: number; nodes: number }
  | { kind: 'effort'; request: RoutesRequest; sizes: number[] };

export type PlanResult =
  { kind: 'routes'; outcome: Outcome<RoutesAnswer> } | { kind: 'effort'; effort: EffortPoint[] };

/** How far the planner is, 0 to 1, and with which kit. */
export interface PlanProgress {
  share: number;
  kit: string;
}
