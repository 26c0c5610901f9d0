// Carries a route out on a disk's file: npm run carry-out -- --image disk.vhd --route route.json --journal file
// `--help` says everything else; docs/executor.md says what is promised.
import { bundled } from './bundle.mjs';

const { main } = await import(await bundled('src/lib/server/executor/command.ts', 'carry-out'));
process.exitCode = await main(process.argv.slice(2));
