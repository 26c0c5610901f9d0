import { createServer } from 'node:net';

/**
 * @param {number} port 0 asks for any free one
 * @param {string} host
 * @returns {Promise<number | null>} the port, or null where it is taken
 */
export function tryPort(port, host) {
  return new Promise((resolve, reject) => {
    const server = createServer();
    server.once('error', (/** @type {NodeJS.ErrnoException} */ error) => {
      if (error.code === 'EADDRINUSE') resolve(null);
      else reject(new Error(`port ${port} on ${host} can't be used: ${error.message}`));
    });
    server.listen(port, host, () => {
      const address = server.address();
      server.close(() => resolve(typeof address === 'object' && address ? address.port : port));
    });
  });
}

/**
 * The wanted port, or where it is taken the next free one of ten.
 * @param {number} wanted
 * @param {string} host
 */
export async function freePort(wanted, host) {
  for (let port = wanted; port < wanted + 10; port++) {
    const got = await tryPort(port, host);
    if (got !== null) return got;
  }
  throw new Error(`ports ${wanted} to ${wanted + 9} are all taken; set PORT to a free one`);
}
