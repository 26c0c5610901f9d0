/** Files of two workers run at once: each worker uses the databases of its number, where they are numbered. */
for (const name of ['DATABASE_URL', 'MIGRATION_URL', 'SCRATCH_URL']) {
  const own = process.env[`${name}_${process.env['VITEST_POOL_ID']}`];
  if (own) process.env[name] = own;
}
