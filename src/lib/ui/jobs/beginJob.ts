import { call } from '$contract/client';
import type { Body } from '$contract';
import type { SurveyDocument } from '$core/survey';
import type { Given } from '../survey/given';

/**
 * What a job is called after its machine: a survey often names the customer first, "Tern Street Clinic, X-ray viewer".
 */
export function deriveNames(machine: string): { customer: string; machine: string } {
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
  const made = await call('POST /jobs', { body: deriveNames(typeof name === 'string' ? name : '') });
  if (!made.ok) return { message: made.refusal.detail };
  const { number, version } = made.value;
  // The server checks what a person dropped here, whatever it is.
  const body = { version, ...given } as Body<'PUT /jobs/{number}/survey'>;
  const saved = await call('PUT /jobs/{number}/survey', { number, body });
  if (saved.ok) return { number };
  await call('DELETE /jobs/{number}', { number, query: { version } });
  return { message: [saved.refusal.detail, ...saved.refusal.fields.map(({ message }) => message)].join(' ') };
}
