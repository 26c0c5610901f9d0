import type { Job } from '$contract/jobs';
import { reportOf, type Report } from '$core/proof';
import { findProofs } from './proofs';
import { findSheet } from './sheets';

/** The report on a job's newest sheet; null as long as no survey was taken after it. */
export async function reportFor(job: Pick<Job, 'number' | 'customer' | 'machine'>): Promise<Report | null> {
  const sheet = await findSheet(job.number);
  if (!sheet) return null;
  const { layout, files } = await findProofs(sheet.id);
  if (!layout) return null;
  return reportOf({
    job: job.number,
    customer: job.customer,
    machine: job.machine,
    sheet: sheet.document,
    ticks: sheet.ticks,
    layout: layout.proof,
    files: files?.proof ?? null,
    date: layout.at.slice(0, 10),
  });
}
