// Reads the licence file of every installed package: `npm run licences` writes THIRD-PARTY.md, and with `-- check` (as
// ./check does) it fails where a file is on no list of permissive licences, or where THIRD-PARTY.md is not what would
// be written.
//
// The file counts and not what package.json says of it: the two were seen to differ.
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';

const OUT = 'THIRD-PARTY.md';

/** Packages for building that leave something of theirs in what is built. */
const BUNDLED = [
  '@fontsource-variable/atkinson-hyperlegible-mono',
  '@fontsource-variable/atkinson-hyperlegible-next',
  '@lucide/svelte',
  '@skeletonlabs/skeleton',
  '@skeletonlabs/skeleton-svelte',
  '@sveltejs/adapter-node',
  '@sveltejs/kit',
  '@use-gesture/vanilla',
  'apexcharts',
  'd3-scale',
  'svelte',
  'svelte-dnd-action',
  'tailwindcss',
];

/**
 * Without a licence file of their own: their readme or package.json alone names it, looked at by hand at this version.
 */
const NAMED_ONLY = {
  '@humanfs/types@0.15.0': 'Apache-2.0',
  '@polka/url@1.0.0-next.29': 'MIT',
  'brotli@1.3.3': 'MIT',
  'dfa@1.2.0': 'MIT',
  'esrecurse@4.3.0': 'BSD-2-Clause',
  'fontkit@2.0.4': 'MIT',
  'imurmurhash@0.1.4': 'MIT',
  'is-module@1.0.0': 'MIT',
  'is-reference@1.2.1': 'MIT',
  'is-reference@3.0.3': 'MIT',
  'keyv@4.5.4': 'MIT',
  'locate-character@3.0.0': 'MIT',
  'natural-compare@1.4.0': 'MIT',
  'sirv@3.0.2': 'MIT',
  'stackback@0.0.2': 'MIT',
};

/** Binaries of one platform of packages whose own file says MIT. */
const PLATFORM = /^@(rolldown\/binding|rollup\/rollup)-/;

/** What a licence's text is known by. The first that fits counts. @type {[string, RegExp[]][]} */
const PERMISSIVE = [
  ['OFL-1.1', [/SIL OPEN FONT LICENSE Version 1\.1/i]],
  ['Apache-2.0', [/Apache License,? Version 2\.0/i]],
  ['MPL-2.0', [/Mozilla Public License,? version 2\.0/i]],
  ['BlueOak-1.0.0', [/Blue Oak Model License/i]],
  ['Bitstream Vera', [/Bitstream Vera Fonts Copyright/i, /Permission is hereby granted, free of charge/i]],
  ['Python-2.0', [/PYTHON SOFTWARE FOUNDATION LICENSE VERSION 2/i]],
  ['MIT', [/Permission is hereby granted, free of charge, to any person obtaining/i, /without restriction/i]],
  ['ISC', [/Permission to use, copy, modify, and(\/or)? distribute this software/i, /AS IS/]],
  ['BSD', [/Redistribution and use in source and binary forms/i]],
  ['CC0-1.0', [/CC0 1\.0 Universal|CC0 Public Domain/i]],
  ['CC-BY-4.0', [/Creative Commons Attribution 4\.0|CC BY 4\.0/i]],
  ['Unlicense', [/free and unencumbered software released into the public domain/i]],
];
/** For building and testing alone: their terms bind who changes them, not what is built. */
const TOOLS_ONLY = new Set(['MPL-2.0', 'CC-BY-4.0']);
/** Such words stand in terms that are added to a permissive text, and in no such text itself. */
const ADDED_TERMS =
  /revenue|subscri|non-?commercial|commercial (use|licen)|licen[cs]e fee|purchase|organi[sz]ation'?s annual/i;

/** The licence that a text is, or null where it is none that is known as permissive. @param {string} text */
export function licenceOf(text) {
  const flat = text.replace(/\s+/g, ' ');
  if (ADDED_TERMS.test(flat)) return null;
  return PERMISSIVE.find(([, marks]) => marks.every((mark) => mark.test(flat)))?.[0] ?? null;
}

/**
 * @typedef {{ name: string, version: string, path: string, licence: string | null, holder: string, shipped: boolean }}
 *   Package
 */

/** @returns {Package[]} */
function installed() {
  const { packages } = JSON.parse(readFileSync('package-lock.json', 'utf8'));
  const bundled = closure(packages);
  return Object.entries(packages)
    .filter(([path]) => path !== '' && existsSync(path))
    .map(([path, { version, dev }]) => {
      const name = path.replace(/^.*node_modules\//, '');
      const named = PLATFORM.test(name)
        ? 'MIT'
        : NAMED_ONLY[/** @type {keyof typeof NAMED_ONLY} */ (`${name}@${version}`)];
      const texts = readdirSync(path)
        .filter((file) => /^(licen[sc]e|copying)/i.test(file))
        .map((file) => readFileSync(`${path}/${file}`, 'utf8'));
      const licences = texts.map(licenceOf);
      const found = licences.includes(null) ? null : [...new Set(licences)].join(' and ');
      const holder = texts
        .join('\n')
        .split('\n')
        .map((line) => line.replace(/[#*|<>]/g, '').trim())
        .find((line) => /^copyright .*\d{4}|^\(?c\)? ?\d{4}|^copyright \(c\)/i.test(line));
      return {
        name,
        version,
        path,
        licence: texts.length > 0 ? found : (named ?? null),
        holder: (holder ?? '').replace(/^(.{20,}? Authors) .*/, '$1'),
        shipped: !dev || bundled.has(path),
      };
    });
}

/**
 * The packages that are bundled, with everything that they need. @param {Record<string, { dependencies?: object }>}
 * packages
 */
function closure(packages) {
  const found = new Set();
  const add = (/** @type {string} */ from, /** @type {string} */ name) => {
    for (let at = from; ; at = at.replace(/\/?node_modules\/(@[^/]+\/)?[^/]+$/, '')) {
      const path = `${at === '' ? '' : `${at}/`}node_modules/${name}`;
      if (packages[path]) {
        if (found.has(path)) return;
        found.add(path);
        for (const next of Object.keys(packages[path].dependencies ?? {})) add(path, next);
        return;
      }
      if (at === '') return;
    }
  };
  for (const name of BUNDLED) add('', name);
  return found;
}

/** @param {Package[]} list */
function document(list) {
  const lines = [...new Map(list.map((one) => [`${one.name}@${one.version}`, one])).values()].sort((a, b) =>
    a.name < b.name ? -1 : 1,
  );
  return `# Third-party packages

What ships with Gentle Tide besides its own code (LICENSE), and all that it depends on, with the licence that the package's own
file is. Each file stands in full in \`node_modules/NAME/\`. Written by \`npm run licences\`; \`./check\` reads every file again.

| package | version | licence | copyright |
| --- | --- | --- | --- |
${lines.map(({ name, version, licence, holder }) => `| ${name} | ${version} | ${licence} | ${holder} |`).join('\n')}
`;
}

function main() {
  const all = installed();
  const wrong = all.filter(
    ({ licence, shipped }) => licence === null || (shipped && TOOLS_ONLY.has(licence)),
  );
  for (const { name, version, licence } of wrong)
    console.error(`${name}@${version}: ${licence ?? 'its licence file is none of the permissive ones'}`);
  const text = document(all.filter(({ shipped }) => shipped));
  if (process.argv[2] !== 'check') writeFileSync(OUT, text);
  else if (!existsSync(OUT) || readFileSync(OUT, 'utf8') !== text) {
    console.error(`${OUT} is not what the packages say: run npm run licences`);
    process.exitCode = 1;
  }
  if (wrong.length > 0) process.exitCode = 1;
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) main();
