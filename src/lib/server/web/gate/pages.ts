import type { Need } from '$contract/roles';

/** Least role of each page, by the id of its route. A page that is missing here is for owners only. */
export const PAGES: Readonly<Record<string, Need>> = {
  '/': 'reader',
  '/jobs/new': 'technician',
  '/jobs/[number]': 'reader',
  '/jobs/[number]/about': 'reader',
  '/jobs/[number]/diagnosis': 'reader',
  '/jobs/[number]/diagnosis/larger-disk': 'reader',
  '/jobs/[number]/drawing/[id]': 'reader',
  '/jobs/[number]/proof': 'reader',
  '/jobs/[number]/rehearsal': 'reader',
  '/jobs/[number]/route': 'reader',
  '/jobs/[number]/sheet': 'reader',
  '/jobs/[number]/survey': 'reader',
  '/jobs/[number]/survey/by-hand': 'technician',
  '/jobs/[number]/survey/changes': 'reader',
  '/jobs/[number]/survey/holdings': 'reader',
  '/jobs/[number]/target': 'reader',
  '/settings': 'technician',
  '/settings/people': 'owner',
  '/settings/server': 'owner',
  '/me': 'reader',
  '/sign-in': 'anyone',
  '/trust': 'anyone',
  '/trust/root.crt': 'anyone',
  // Scripts for the surveyed machine: nobody is signed in there, and nothing of the workshop is in them.
  '/collector/[name]': 'anyone',
};
