import { buildIfChanged } from './build.mjs';

await buildIfChanged();
