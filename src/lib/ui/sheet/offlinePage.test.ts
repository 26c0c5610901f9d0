import { describe, expect, it } from 'vitest';
import { writeOfflinePage } from './offlinePage';

describe('the page in the place of one that was not kept', () => {
  it('leads to the sheets that were, and needs nothing else', () => {
    const page = writeOfflinePage(['/jobs/2608/sheet', '/jobs/2611/sheet?sheet=4']);
    expect(page).toContain('<a href="/jobs/2608/sheet">Work sheet of job 2608</a>');
    expect(page).toContain('<a href="/jobs/2611/sheet?sheet=4">Work sheet of job 2611</a>');
    expect(page).not.toMatch(/<(script|link|img)|https?:/);
  });

  it('says so where there is none', () =>
    expect(writeOfflinePage([])).toContain('No sheet is kept on this device.'));

  it('keeps an odd address within its attribute', () =>
    expect(writeOfflinePage(['/jobs/1/sheet?sheet="><b>&'])).toContain(
      'href="/jobs/1/sheet?sheet=&quot;><b>&amp;"',
    ));
});
