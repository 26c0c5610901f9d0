/** An answer that a browser shows or keeps as a file of that name. */
export const fileResponse = (
  body: Uint8Array | string,
  type: string,
  name: string,
  how: 'inline' | 'attachment',
): Response =>
  new Response(typeof body === 'string' ? body : new Uint8Array(body), {
    headers: {
      'content-type': type,
      'content-disposition': `${how}; filename="${name}"`,
      'cache-control': 'no-store',
    },
  });
