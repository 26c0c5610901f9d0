import { type Rates, type Tool } from '../tools';
import type { SurveyDocument } from '../survey';
import type { OutsidePlace } from '../steps';

/** In which order routes are answered: least exposure first, least time, or fewest steps. */
export const PREFERENCES = ['safe', 'quick', 'few-steps'] as const;
export type Preference = (typeof PREFERENCES)[number];

/** A workshop's own tools and kits, besides those that ship. */
export interface Workshop {
  tools?: Tool[];
  kits?: { id: string; name: string; tools: string[] }[];
  rates?: Rates;
}

/** What is asked of the planner, as it travels (contract, `POST /api/v1/routes`). Sizes in bytes. */
export interface RoutesRequest {
  survey: SurveyDocument;
  disk: number;
  goal: { partition: number; size?: number; grow?: number; max?: boolean };
  /** Ids of kits: those that ship, or the workshop's own. Default: those that ship. */
  kits?: string[];
  keepFree?: { percent?: number; bytes?: number };
  fixed?: number[];
  mayDelete?: number[];
  donors?: number[];
  gives?: Record<string, number>;
  outside?: OutsidePlace[];
  mayEnlargeDisk?: boolean;
  prefer?: Preference;
  workshop?: Workshop;
}

/** What a goal asks beyond its size: which kits, who gives, what is allowed. */
export type GoalOptions = Pick<
  RoutesRequest,
  'kits' | 'fixed' | 'mayDelete' | 'donors' | 'gives' | 'outside' | 'mayEnlargeDisk' | 'prefer'
>;
