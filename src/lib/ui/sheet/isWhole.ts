/**
 * Whether an answer is the sheet that was asked for, so that it may be kept over one that is good. Where nobody is
 * signed in any more the page's data is a redirect, and where something failed an error, both with 200.
 */
export async function isWhole(response: Response): Promise<boolean> {
  if (!response.ok || response.redirected) return false;
  if (!response.headers.get('content-type')?.includes('json')) return true;
  try {
    // What is streamed after it stands in further lines.
    const [first = ''] = (await response.clone().text()).split('\n', 1);
    const { type, nodes } = JSON.parse(first) as { type?: string; nodes?: ({ type?: string } | null)[] };
    return type === 'data' && nodes !== undefined && !nodes.some((node) => node?.type === 'error');
  } catch {
    return false;
  }
}
