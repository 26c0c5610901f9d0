import { failure, type Outcome, type Problem } from '$core/problem';
import { formatSize } from '$core/units';

/**
 * Every refusal of the API by its code: the HTTP status, and the sentence that says what is the case and what to do.
 * `title` stands where that of the status (RFC 9457) says too little, `path` where the fault always lies at one field
 * of the body.
 */
interface Entry<V> {
  status: number;
  sentence: (values: V) => string;
  title?: string;
  path?: string;
}

const entry = <V = undefined>(
  status: number,
  sentence: string | ((values: V) => string),
  more: Pick<Entry<V>, 'title' | 'path'> = {},
): Entry<V> => ({ status, sentence: typeof sentence === 'string' ? () => sentence : sentence, ...more });

/** A thing of a job, by its name in the address. */
interface InJob {
  job: number;
  id: string | number;
}
const NO_SHEET = 'This sheet no longer holds';

export const PROBLEMS = {
  // The request's form.
  'bad-json': entry<{ why: string }>(400, ({ why }) => `The body could not be read. ${why}`),
  'wrong-type': entry<{ wanted: string; given: string }>(
    415,
    ({ wanted, given }) => `Send ${wanted}, not ${given || 'a body without a type'}.`,
  ),
  'too-large': entry<{ mebibytes: number }>(
    413,
    ({ mebibytes }) => `The body is larger than ${mebibytes} MiB: nothing that is kept here is.`,
  ),
  'no-version': entry(422, 'Say which version of the job is to be deleted (?version=…).', {
    path: '/version',
  }),
  'no-offset': entry(422, 'Say at which byte the piece begins (?offset=…).', { path: '/offset' }),

  // The requester.
  'not-signed-in': entry(401, 'Sign in first: nobody is signed in here, or not any more.'),
  'bad-token': entry(401, 'This token is none, or it was ended, or its time is over.'),
  'people-only': entry(403, 'This is for people who are signed in, not for programs.'),
  'no-scope': entry<{ scope: string }>(403, ({ scope }) => `This token has no scope “${scope}”.`),
  'owners-only': entry<{ role: string }>(
    403,
    ({ role }) => `You are signed in as ${role}. This is for owners: ask one of them.`,
  ),
  'technicians-only': entry<{ role: string }>(
    403,
    ({ role }) =>
      `You are signed in as ${role}, who sees and prints. Changes are for technicians: ask an owner if you should be one.`,
  ),
  'foreign-page': entry(
    403,
    'A request that changes something has to say that it comes from a page of this server.',
  ),
  'nobody-signs-in': entry(
    409,
    'Nobody signs in here: this server answers to its own computer only. Start it with GENTLE_TIDE_SIGN_IN=on to have people.',
    { title: 'Nobody signs in here' },
  ),

  // Signing in.
  'wrong-secret': entry(401, 'That is not right. Name and passphrase, or the PIN, don’t belong together.'),
  'not-present': entry(422, 'This is not what you sign in with now.', { path: '/present' }),
  wait: entry<{ seconds: number }>(
    429,
    ({ seconds }) => `After several wrong tries the next is taken in ${waitInWords(seconds)}.`,
  ),
  'unknown-device': entry(
    403,
    'A PIN is good on devices only that somebody signed in on before. Sign in here with a passphrase, or by a QR code from a screen that is signed in.',
  ),
  'used-up': entry(410, 'This address was used already, or its time is over. Ask for a new one.'),
  'too-many-devices': entry(
    409,
    'This screen let in as many devices as it may. Sign in there with the passphrase, or show a code on another screen.',
    { title: 'Too many devices' },
  ),
  'weak-secret': entry<{ why: string }>(422, ({ why }) => why),
  'no-name': entry(422, 'Say what you are called: it stands beside all that you do.', { path: '/name' }),
  'own-name-taken': entry(422, 'Somebody has this name already. Add something to it.', { path: '/name' }),
  'pin-needed': entry(422, 'Without the PIN you could not sign in. Choose a passphrase first.', {
    path: '/pin',
  }),

  // People.
  'no-person': entry<{ id: string }>(404, ({ id }) => `There is nobody of number ${id}.`),
  'name-taken': entry<{ name: string; isNew: boolean }>(
    422,
    ({ name, isNew }) =>
      `Somebody is called “${name}” already, or was.${isNew ? ' Add something to the name.' : ''}`,
    { path: '/name' },
  ),
  'too-many-people': entry<{ most: number }>(409, ({ most }) => `There are ${most} people already.`),
  'last-owner': entry(409, 'This is the only owner who can sign in. Make somebody else owner first.', {
    title: 'Somebody has to let people in',
  }),
  left: entry<{ name: string }>(409, ({ name }) => `${name} works here no more. Take them back first.`, {
    title: 'Not here',
  }),
  'stale-person': entry(
    409,
    'Another owner changed this since the page was opened. Nothing was overwritten.',
  ),
  'no-device': entry<{ id: string }>(
    404,
    ({ id }) => `There is no device ${id}, or it is known no more already.`,
  ),
  'no-session': entry<{ id: string }>(
    404,
    ({ id }) => `There is no session ${id} of yours, or it ended already.`,
  ),
  'no-token': entry<{ id: string }>(
    404,
    ({ id }) => `There is no token ${id} of yours, or it ended already.`,
  ),
  'too-many-tokens': entry(409, 'There are a hundred tokens already. End some that nothing uses.', {
    title: 'Too many tokens',
  }),

  // Jobs.
  'no-job': entry<{ number: string | number }>(
    404,
    ({ number }) => `There is no job ${number}. The list of jobs shows which there are.`,
  ),
  'stale-job': entry(
    409,
    'This job was saved by somebody else after it was opened here. Nothing was overwritten.',
  ),
  'job-on-image': entry<{ image: string }>(
    409,
    ({ image }) =>
      `The route of this job is being carried out on ${image}. End that first; nothing was deleted.`,
  ),
  'nothing-to-report': entry(404, 'There is nothing to report yet: survey the machine after the work first.'),
  unreadable: entry<{ what: string }>(
    409,
    ({ what }) => `${what} The job can be exported as it is, given a new survey, or deleted.`,
  ),

  // Surveys, and what fills the volumes.
  'no-survey': entry<InJob>(404, ({ job, id }) => `Job ${job} has no survey ${id}.`),
  'no-survey-yet': entry<{ job: number }>(404, ({ job }) => `Job ${job} has no survey yet.`),
  'survey-first': entry<{ then?: string }>(
    422,
    ({ then }) => `This job has no survey yet. Give it one first${then ? `, ${then}` : ''}.`,
  ),
  'no-holdings-yet': entry<{ job: number }>(
    404,
    ({ job }) => `It is not known yet what fills the volumes of job ${job}.`,
  ),
  'holdings-first': entry(422, 'Nothing is known yet of what fills this machine’s volumes.'),

  // Target, goal and route.
  'no-partition': entry(422, 'The survey has no such partition.', { path: '/partition' }),
  'target-first': entry(422, 'No target is chosen yet. Choose one on the Survey screen.'),
  'no-route-there': entry(422, 'The answer has no route in that place.', { path: '/chosen' }),

  // Drawings.
  'no-drawing': entry<InJob>(404, ({ job, id }) => `Job ${job} has no drawing ${id}.`),
  'stale-drawing': entry(
    409,
    'Another window changed this drawing after it was opened here. Nothing was overwritten.',
  ),
  'no-kit': entry<{ kit: string }>(
    422,
    ({ kit }) => `There is no kit “${kit}” in this workshop. Its settings show which there are.`,
    { path: '/kit' },
  ),
  'no-state': entry<{ position: number; states: number }>(
    422,
    ({ position, states }) => `There is no state ${position}: there are ${states}.`,
    { path: '/position' },
  ),

  // Work sheets, ticks and proofs.
  'no-sheet': entry<InJob>(404, ({ job, id }) => `Job ${job} has no work sheet ${id}.`),
  'goal-first': entry(422, 'Give the job a survey, a target and a size first.'),
  'stale-plan': entry<{ of: 'drawing' | 'route' }>(
    422,
    ({ of }) =>
      `${of === 'drawing' ? 'This drawing was made on' : 'This route was planned with'} an earlier survey, target or set of tools and rates. Plan it again: a sheet with figures that no longer hold is not made.`,
  ),
  'no-route-found': entry(422, 'No route was found for this goal, so there is none to make a sheet of.'),
  'stale-sheet': entry<{ why: string }>(409, ({ why }) => why, { title: NO_SHEET }),
  'sheet-ended': entry<{ why: string }>(409, ({ why }) => why, { title: 'This sheet ended' }),
  'sheet-changed-again': entry<{ why: string }>(409, ({ why }) => `It changed again meanwhile. ${why}`, {
    title: NO_SHEET,
  }),
  'other-sheet': entry(422, 'This was ticked on another sheet already. Open the sheet that it belongs to.'),

  // Rehearsals, and runs on images.
  'no-rehearsal': entry<InJob>(404, ({ job, id }) => `Job ${job} has no rehearsal ${id}.`),
  'no-proof': entry<{ id: number }>(
    404,
    ({ id }) => `Rehearsal ${id} has no proof: it has not come to its end.`,
  ),
  'nothing-to-rehearse': entry(
    422,
    'There is no route to rehearse yet. Give the job a survey, a target and a size first.',
  ),
  'stale-route': entry(
    409,
    'The survey, the target, the tools or the rates changed after this route was planned. Plan it again.',
  ),
  'not-rehearsable': entry<{ why: string }>(422, ({ why }) => why),
  'under-way': entry<{ who: string }>(
    409,
    ({ who }) =>
      `A rehearsal of this job is under way${who ? ` (${who} began it)` : ''}. End it first, or watch it.`,
  ),
  'image-under-way': entry<{ job: number; image: string }>(
    409,
    ({ job, image }) =>
      `Job ${job} is being carried out on ${image} or a copy of it already. End that first.`,
  ),
  'not-now': entry<{ why: string }>(409, ({ why }) => why),
  'not-from-image': entry(
    422,
    'The job’s survey was not read from an image on this server. Survey the image from the Survey screen first.',
  ),
  'name-not-typed': entry<{ image: string }>(
    422,
    ({ image }) => `To work on the image itself, type its name just as it is: ${image}`,
    { path: '/typed' },
  ),
  'image-gone': entry<{ image: string }>(
    409,
    ({ image }) => `${image} is not in the folder of images any more.`,
  ),
  'image-read': entry<{ image: string }>(
    409,
    ({ image }) => `${image} is being read here at this moment. Try again once that is done.`,
  ),
  'run-begun': entry<{ image: string }>(
    409,
    ({ image }) =>
      `A journal lies beside ${image}: a run was begun on it that is not of this job. Go on with it or take it back (npm run carry-out) before anything else.`,
    { path: '/typed' },
  ),
  'image-open': entry<{ why: string }>(409, ({ why }) => why, { path: '/typed' }),
  'no-room-for-copy': entry<{ needed: number; room: number }>(
    422,
    ({ needed, room }) =>
      `A copy takes ${formatSize(needed)}, and the server has room for ${formatSize(Math.max(0, room))}.`,
  ),
  'too-many-watching': entry(503, 'Too many are watching at once. Try again in a moment.'),

  // The folder of images.
  'no-image': entry<{ name: string }>(
    404,
    ({ name }) => `There is no image ${name} in the folder of images.`,
  ),
  'image-at-work': entry<{ job: number; image: string; then: string }>(
    409,
    ({ job, image, then }) =>
      `The route of job ${job} is being carried out on ${image}. ${then} once that is done.`,
  ),
  'image-moved': entry<{ image: string }>(
    409,
    ({ image }) => `${image} was moved or changed at this very moment. Look at the list again.`,
  ),
  'not-in-image': entry<{ image: string; bytes: number }>(
    416,
    ({ image, bytes }) => `${image} has ${bytes} bytes; there is nothing where the range begins.`,
  ),
  'no-upload': entry(
    404,
    'There is no such upload: it has arrived, was given up, or nobody went on with it for a week.',
  ),
  'bad-image-name': entry(
    422,
    'A name of an image is a plain file name; it neither begins with a dot nor names a journal.',
    { path: '/name' },
  ),
  'image-exists': entry<{ name: string }>(
    409,
    ({ name }) => `There is an image called ${name} on the server already. Give yours another name first.`,
  ),
  'image-arrived': entry<{ name: string }>(
    409,
    ({ name }) => `Meanwhile there is another image called ${name} on the server. Nothing was written over.`,
  ),
  'no-room-for-image': entry<{ bytes: number; room: number }>(
    422,
    ({ bytes, room }) =>
      `The image has ${formatSize(bytes)}, and the server has room for ${formatSize(Math.max(0, room))}. Make room there, or put the image into its folder yourself.`,
    { path: '/bytes' },
  ),
  'too-many-uploads': entry<{ count: number }>(
    409,
    ({ count }) => `${count} images are being sent already. Wait until one of them has arrived.`,
  ),
  'piece-busy': entry(409, 'A piece of this image is being written already.'),
  'other-piece': entry<{ received: number; offset: number }>(
    409,
    ({ received, offset }) => `The next piece begins at byte ${received}, not at ${offset}.`,
  ),
  'piece-too-long': entry<{ bytes: number }>(
    422,
    ({ bytes }) => `More was sent than the ${bytes} bytes that were announced.`,
  ),
  'empty-piece': entry(422, 'The piece is empty.'),
  'disk-full': entry(422, 'The server’s disk is full. Make room there, then go on.'),

  // The workshop, and the server.
  'stale-workshop': entry(
    409,
    'The settings were saved by somebody else after they were opened here. Nothing was overwritten.',
  ),
  'no-schema': entry<{ name: string; known: string }>(
    404,
    ({ name, known }) => `There is no schema “${name}”. There are: ${known}.`,
  ),
  'no-authority': entry(404, 'This workshop has no authority of its own: there is nothing to install.'),
  'no-address': entry<{ path: string }>(
    404,
    ({ path }) => `There is nothing at ${path}. /api/v1/openapi.json lists what there is.`,
  ),
  'no-method': entry<{ method: string; path: string }>(
    405,
    ({ method, path }) => `${method} is not possible at ${path}.`,
  ),
  'bad-address': entry(400, 'The address can’t be read: it holds something that is no text.'),
  busy: entry(503, 'Too much is being worked out at once. Try again in a moment.'),
  'too-slow': entry(
    422,
    'This took longer than anything that is asked here, so it was ended. Ask for less: fewer partitions, kits or files at once.',
  ),
  gone: entry(499, 'The asker left.'),
  'database-away': entry<{ detail: string }>(503, ({ detail }) => detail),
  'defect-here': entry(500, 'Something went wrong on the server; its log says more.'),
  defect: entry(500, 'The server could not answer. Its log says more.'),
} satisfies Record<string, Entry<never>>;

const waitInWords = (seconds: number): string =>
  seconds < 90 ? `${seconds} ${seconds === 1 ? 'second' : 'seconds'}` : `${Math.ceil(seconds / 60)} minutes`;

export type ProblemCode = keyof typeof PROBLEMS;
type ValuesOf<C extends ProblemCode> = (typeof PROBLEMS)[C] extends Entry<infer V> ? V : never;

/** Place of the fault, and facts for programs: `current` version, `seconds` to wait. */
type More = Partial<Pick<Problem, 'path' | 'details'>>;

/** A refusal by its code, as a value that everything below an endpoint hands on. */
export function refuse<C extends ProblemCode>(
  code: C,
  ...[values, more]: ValuesOf<C> extends undefined
    ? [values?: undefined, more?: More]
    : [values: ValuesOf<C>, more?: More]
): Outcome<never> & { ok: false } {
  const { sentence, path = '' } = PROBLEMS[code] as Entry<unknown>;
  return failure({ code, path, message: sentence(values), refusal: true, ...more });
}

/** The status of a refusal. */
export const statusOf = (code: ProblemCode): number => PROBLEMS[code].status;

/** The entry of a refusal; null for a fault of a document, which the core finds and which is always bad input. */
export const entryOf = ({ refusal, code }: Problem): { status: number; title?: string } | null =>
  refusal ? PROBLEMS[code as ProblemCode] : null;
