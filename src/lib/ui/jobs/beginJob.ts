import type { SurveyDocument } from '$core/survey';
import { send, type Saved } from '../api';
import type { Given } from '../survey/given';

/** What a job is called after its machine: a survey often names the customer first, "Tern Street Clinic, X-ray viewer". */
export function namesFrom(machine: string): { customer: string; machine: string } {
  const [first, ...rest] = machine.split(',').map((part) => part.trim());
  const [customer, name] = rest.length > 0 ? [first, rest.join(', ')] : ['', machine.trim()];
  return {
    customer: shortened(customer || 'Customer not named yet'),
    machine: shortened(name || 'Machine not named yet'),
  };
}

/** The longest name that a job takes, in characters. */
const MOST = 200;
const shortened = (text: string): string => [...text].slice(0, MOST).join('');

/**
 * Begins a job with a survey, named after its machine; what the server refuses leaves no job behind.
 * @returns its number, or why there is none
 */
export async function beginJob(given: Given): Promise<{ number: number } | { message: string }> {
  const { survey } = given;
  if (survey === undefined)
    return {
      message:
        'That tells what fills the volumes. Give it together with the survey of its machine, or to the job that has one.',
    };
  const name = (survey as Partial<SurveyDocument> | null)?.machine?.name;
  const made = await send<Saved>('POST', '/api/v1/jobs', namesFrom(typeof name === 'string' ? name : ''));
  if (!made.ok) return { message: made.refusal.detail };
  const { number, version } = made.value;
  const kept = await send<Saved>('PUT', `/api/v1/jobs/${number}/survey`, { version, ...given });
  if (kept.ok) return { number };
  await fetch(`/api/v1/jobs/${number}?version=${version}`, { method: 'DELETE' });
  return { message: [kept.refusal.detail, ...kept.refusal.fields.map(({ message }) => message)].join(' ') };
}
