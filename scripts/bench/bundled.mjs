import { execFileSync } from 'node:child_process';
import { resolve } from 'node:path';
import { bundle } from '../bundle.mjs';

const OUT = '.local/bench/bundled.mjs';

/**
 * Runs a function of a TypeScript module in a process of its own, bundled as the application ships it, and gives what
 * it returned with the most memory that the process took, in MiB.
 * @param {string} path from the repository's root
 * @param {string} name
 * @returns {Promise<{ value: any, peak: number }>}
 */
export async function runBundled(path, name) {
  await bundle(path, OUT);
  // Of this program alone: what `resourceUsage` tells begins with what the process took that started it.
  const run = `import { readFileSync } from 'node:fs';
    import { ${name} } from ${JSON.stringify(resolve(OUT))};
    const value = await ${name}();
    console.log(JSON.stringify({ value, peak: Math.round(Number(/VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]) / 1024) }));`;
  const printed = execFileSync(process.execPath, ['--input-type=module', '-e', run], {
    encoding: 'utf8',
    maxBuffer: 2 ** 26,
  });
  return JSON.parse(printed);
}
