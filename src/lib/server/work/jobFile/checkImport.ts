import { defineTask } from '../../platform/threads/task';
import type { SheetSource } from '$contract/sheetSource';
import { JobPartsFile, type JobParts, type ProofPart } from '$contract/jobFile';
import { findProofProblem } from '$core/executor';
import { drawingOf } from '$core/drawing';
import { checkChoices } from '$core/holdings';
import { planRoutes, type RoutesAnswer } from '$core/planning';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { findFileProofProblem, proveLayout } from '$core/proof';
import { checkSurvey, machineOf, type SurveyDocument } from '$core/survey';
import { itemsOf, tickProblem, type WorkSheet } from '$core/worksheet';
import { weigh, type Weighed } from '../holdings/weigh';
import { requestFor, remakeSheet } from '../goals/sheetSource';
import { findFaults } from '../../platform/validation/schemas';
import { differenceIn, showShortly } from '../version/difference';
import { RELEASE } from './format';
import { unpackJob } from './unpack';

/** A job from another workshop with everything in it that can be computed computed anew. */
export interface CheckedJob {
  parts: JobParts;
  /** The holdings, in their order, held against their surveys. */
  weighed: Weighed[];
  /** Remark of the history on how it was taken over. */
  remark: string;
}

/** Milliseconds that one goal may be planned for; more than the planner takes where nobody hurries it. */
const PLANNING_MS = 8_000;

class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.message);
  }
}

const refuse = (part: string, at: number | null, what: string, code = 'wrong'): Refused =>
  new Refused({
    code,
    path: `/${part}${at === null ? '' : `/${at}`}`,
    message: `${part}${at === null ? '' : `, entry ${at + 1}`}: ${what} Nothing was taken over.`,
  });

/**
 * Unpacks a job's file and believes nothing of it that can be computed: plans, sheets and proofs are made again of what
 * they say that they were made of, and must be the same. What is handed on is always what was made here. Problem codes:
 * those of {@link unpackJob}, `wrong` (a part does not fit), `differs` (it is not what its own figures come to).
 */
export function checkImport(packed: Uint8Array): Outcome<CheckedJob> {
  const unpacked = unpackJob(packed);
  if (!unpacked.ok) return unpacked;
  const { parts, release } = unpacked.value;
  try {
    const [fault] = findFaults(JobPartsFile.name, parts);
    if (fault) {
      const [, part = '', at] = fault.path.split('/');
      throw refuse(part, at === undefined || !/^\d+$/.test(at) ? null : Number(at), fault.message);
    }
    return success(new Check(parts as JobParts, release).all());
  } catch (error) {
    if (error instanceof Refused) return failure(error.problem);
    throw error;
  }
}

class Check {
  private readonly surveys: readonly SurveyDocument[];
  /** Another release says the same things in other words: then its own are put in place of what came. */
  private readonly sameRelease: boolean;
  private otherwise = 0;

  constructor(
    private readonly parts: JobParts,
    private readonly release: string,
  ) {
    this.surveys = parts['surveys.json'].map(({ document }) => document);
    this.sameRelease = release === RELEASE;
  }

  all(): CheckedJob {
    this.surveys.forEach((document, i) => {
      const [first] = checkSurvey(document);
      if (first) throw refuse('surveys.json', i, first.message);
    });
    this.target();
    const weighed = this.parts['holdings.json'].map((one, i) => this.holdings(one, i));
    for (const name of ['goals.json', 'drawings.json', 'sheets.json'] as const) {
      this.parts[name].forEach(({ survey }, i) => void this.survey(name, i, survey));
    }
    const goals = this.parts['goals.json'].map((goal, i) => this.goal(goal, i));
    this.parts['drawings.json'].forEach(({ position, states }, i) => {
      if (position >= states.length)
        throw refuse('drawings.json', i, `There is no state ${position}: there are ${states.length}.`);
    });
    const sheets = this.parts['sheets.json'].map((sheet, i) => this.sheet({ ...sheet }, i, goals));
    const rehearsals = this.parts['rehearsals.json'].flatMap((one, i) => this.rehearsal(one, i, goals));
    const other = this.release === '' ? 'an earlier release' : `release ${this.release}`;
    return {
      weighed,
      parts: { ...this.parts, 'goals.json': goals, 'sheets.json': sheets, 'rehearsals.json': rehearsals },
      remark: [
        ...(this.otherwise === 0
          ? []
          : [
              `It was exported by ${other}: ${this.otherwise} of its plans and sheets read otherwise there, and stand here as this bench makes them.`,
            ]),
        // A rehearsal on another workshop's stand-in can't be made again from the file.
        ...(rehearsals.length === 0
          ? []
          : ['What its rehearsals came to is what that bench says; they were not carried out again here.']),
      ].join(' '),
    };
  }

  /** A rehearsal as it came, on the route as it was planned here; none where another machine found no such route. */
  private rehearsal(
    one: JobParts['rehearsals.json'][number],
    i: number,
    goals: JobParts['goals.json'],
  ): JobParts['rehearsals.json'] {
    const came = this.parts['goals.json'][one.goal]?.answer.routes[one.chosen];
    if (!came) throw refuse('rehearsals.json', i, 'It names a route that is not there.');
    const problem = findProofProblem(one.proof, came.steps);
    if (problem) throw refuse('rehearsals.json', i, problem.message, problem.code);
    const chosen = goals[one.goal]!.answer.routes.findIndex(
      ({ steps }) => differenceIn(steps, came.steps) === null,
    );
    if (chosen < 0) this.otherwise++;
    return chosen < 0 ? [] : [{ ...one, chosen }];
  }

  private holdings(
    { survey: place, document, choices }: JobParts['holdings.json'][number],
    i: number,
  ): Weighed {
    const survey = this.survey('holdings.json', i, place);
    const found = weigh({ survey, holdings: document });
    if (!found.ok) throw refuse('holdings.json', i, found.problems[0]!.message);
    const [problem] = checkChoices(survey, found.value.found, choices);
    if (problem) throw refuse('holdings.json', i, problem.message);
    return found.value;
  }

  private survey(part: keyof JobParts, at: number, place: number): SurveyDocument {
    const found = this.surveys[place];
    if (!found) throw refuse(part, at, 'It names a survey that is not there.');
    return found;
  }

  private target(): void {
    const { target } = this.parts['job.json'];
    const newest = this.parts['surveys.json'].findLast((one) => one.purpose === 'found');
    if (!target || !newest) return;
    const disk = machineOf(newest.document).disks.find((one) => one.number === target.disk);
    if (!disk?.partitions.some((one) => one.number === target.partition))
      throw refuse('job.json', null, 'Its target is not on the newest survey.');
  }

  /** A part as it was made here, which must equal the part that came. */
  private same<T>(part: string, at: number, what: string, came: T, made: T): T {
    const path = differenceIn(came, made);
    if (path === null) return made;
    this.otherwise++;
    if (!this.sameRelease) return made;
    throw refuse(
      part,
      at,
      `${what} is not what its own figures come to: ${path || 'it'} is ${showShortly(came, path)} there, and ${showShortly(made, path)} by this bench.`,
      'differs',
    );
  }

  private goal(goal: JobParts['goals.json'][number], i: number): JobParts['goals.json'][number] {
    const survey = this.survey('goals.json', i, goal.survey);
    const { disk, partition, size, keepFreePercent, options, tools } = goal;
    const planned = { disk, partition, size, keepFreePercent, options, tools: tools ?? {} };
    const answered = planRoutes(requestFor(survey, planned), { milliseconds: PLANNING_MS });
    if (!answered.ok) throw refuse('goals.json', i, answered.problems[0]!.message);
    // On another machine a search that time ended finds other routes: what came is then compared with what was found
    // here.
    const hurried = [goal.answer, answered.value].some(isHurried);
    const answer = hurried
      ? answered.value
      : this.same('goals.json', i, 'The plan', goal.answer, answered.value);
    const route = goal.answer.routes[goal.chosen];
    const place = route ? answer.routes.findIndex((one) => differenceIn(one.steps, route.steps) === null) : 0;
    if (place < 0 && hurried) this.otherwise++;
    else if (place < 0 || (!route && goal.chosen !== 0))
      throw refuse('goals.json', i, 'The chosen route is none of those that were found.');
    return { ...goal, tools: planned.tools, answer, chosen: Math.max(0, place) };
  }

  private sheet(
    sheet: JobParts['sheets.json'][number],
    i: number,
    goals: JobParts['goals.json'],
  ): JobParts['sheets.json'][number] {
    const survey = this.survey('sheets.json', i, sheet.survey);
    const madeOf = sheet.madeOf ?? this.sourceOf(sheet, i, goals);
    const made = remakeSheet({ survey, source: madeOf });
    if (!made.ok) throw refuse('sheets.json', i, `The sheet can’t be made: ${made.problems[0]!.message}`);
    const document = this.same('sheets.json', i, 'The work sheet', sheet.document, made.value);
    const items = new Map(itemsOf(document).map((item) => [item.id, item]));
    sheet.ticks.forEach((tick, at) => {
      const problem = tickProblem(items.get(tick.item), tick, at);
      if (problem) throw refuse('sheets.json', i, problem.message);
    });
    const proofs = sheet.proofs.map((proof) => this.proof(proof, i, document, survey));
    return { ...sheet, madeOf, document, proofs };
  }

  private proof(proof: ProofPart, i: number, sheet: WorkSheet, before: SurveyDocument): ProofPart {
    if (proof.kind === 'files') {
      const problem = findFileProofProblem(proof.document, machineOf(before).disks);
      if (problem) throw refuse('sheets.json', i, problem.message);
      return proof;
    }
    const made = proveLayout(sheet, before, this.survey('sheets.json', i, proof.survey));
    if (!made.ok) throw refuse('sheets.json', i, made.problems[0]!.message);
    return { ...proof, document: this.same('sheets.json', i, 'The proof', proof.document, made.value) };
  }

  /**
   * What a sheet from before it was kept was made of: the goal that was set then, or the drawing, unless it changed.
   */
  private sourceOf(
    { origin, createdAt }: JobParts['sheets.json'][number],
    i: number,
    goals: JobParts['goals.json'],
  ): SheetSource {
    const goal =
      origin.kind === 'route' ? goals[origin.goal] : goals.findLast((one) => one.createdAt <= createdAt);
    const steps =
      origin.kind === 'route'
        ? drawnRoute(goal?.answer, origin.chosen)
        : this.parts['drawings.json'][origin.id]?.states[this.parts['drawings.json'][origin.id]!.position];
    if (!goal || !steps)
      throw refuse(
        'sheets.json',
        i,
        'What the sheet was made of is not in the file, so it can’t be checked.',
      );
    const { disk, partition, size, keepFreePercent, options } = goal;
    return { disk, partition, size, keepFreePercent, options, tools: goal.tools ?? {}, drawing: steps };
  }
}

const drawnRoute = (answer: RoutesAnswer | undefined, chosen: number) => {
  const route = answer?.routes[chosen];
  return route && drawingOf(route);
};

const isHurried = ({ findings }: RoutesAnswer): boolean =>
  findings.some(({ code }) => code === 'stopped-early');

export const checkImportTask = defineTask('checkImport', checkImport, {
  milliseconds: 120_000,
  atOnce: 1,
  pool: 'foreign',
});
