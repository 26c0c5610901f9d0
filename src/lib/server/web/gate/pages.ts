import type { Need } from '$contract/roles';

/** Whom each page answers, by the id of its route. A page that stands here not is for owners only. */
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
  // What a machine that is surveyed fetches: nobody is signed in there, and there is nothing of the workshop in it.
  '/collector/[name]': 'anyone',
};
