import { refuse } from '$contract/problems';
import type { SavedWorkshop } from '$contract/workshop';
import { SHIPPED_KITS, SHIPPED_TOOLS } from '$core/tools';
import { createHash } from 'node:crypto';
import { WorkshopShape, type Workshop } from '$core/planning';
import { failure, success, type Outcome, type Problem } from '$core/problem';
import { change, database, rows, transaction } from '../../store/database/database';
import { loadDocument, loadOrNull } from '../../store/documents/loadDocument';

export async function readWorkshop(): Promise<SavedWorkshop> {
  const [row] = await rows<{ version: number; document: string }>(
    database(),
    'SELECT version, document FROM workshop WHERE id = 1',
  );
  if (!row) return { version: 1, workshop: {}, unshown: [] };
  const unshown: string[] = [];
  const workshop = loadOrNull(unshown, () =>
    loadDocument(row.document, WorkshopShape, 'What was kept of the workshop'),
  );
  return { version: row.version, workshop: workshop ?? {}, unshown };
}

/**
 * Keeps them; goals that were planned with older ones are stale from then on. Refusal: `stale-workshop`. @returns the
 * new version
 */
export async function saveWorkshop(version: number, workshop: Workshop): Promise<Outcome<number>> {
  return transaction(async (db): Promise<Outcome<number>> => {
    const [row] = await rows<{ version: number }>(db, 'SELECT version FROM workshop WHERE id = 1 FOR UPDATE');
    if (row && row.version !== version)
      return refuse('stale-workshop', undefined, { details: { current: row.version } });
    await change(
      db,
      'UPDATE workshop SET version = version + 1, document = ?, updated_at = UTC_TIMESTAMP(3) WHERE id = 1',
      [JSON.stringify(workshop)],
    );
    return success(version + 1);
  });
}

/** Faults beyond a schema: ids that are taken, kits with unknown tools. */
export function checkWorkshop(workshop: Workshop): Outcome<Workshop> {
  const problems: Problem[] = [];
  const taken = new Set([...SHIPPED_TOOLS, ...SHIPPED_KITS].map((one) => one.id));
  const own = (what: 'tools' | 'kits', list: readonly { id: string; name: string }[]): void =>
    list.forEach(({ id, name }, i) => {
      if (taken.has(id)) {
        const message = `“${name}” is there already. Give it another name.`;
        problems.push({ code: 'taken', path: `/${what}/${i}/name`, message });
      }
      taken.add(id);
    });
  own('tools', workshop.tools ?? []);
  const tools = new Set([...SHIPPED_TOOLS, ...(workshop.tools ?? [])].map((tool) => tool.id));
  own('kits', workshop.kits ?? []);
  workshop.kits?.forEach((kit, i) => {
    const missing = kit.tools.find((id) => !tools.has(id));
    if (missing === undefined) return;
    const message = `The kit “${kit.name}” names the tool “${missing}”, which nobody has described.`;
    problems.push({ code: 'no-tool', path: `/kits/${i}/tools`, message });
  });
  return problems.length > 0 ? failure(...problems) : success(workshop);
}

/** A kit that drawings are for and that neither ships nor is the workshop's own (any more); null: all are there. */
export function missingKit(workshop: Workshop, drawings: readonly { kit: string }[]): string | null {
  const known = new Set([...SHIPPED_KITS, ...(workshop.kits ?? [])].map(({ id }) => id));
  return drawings.find(({ kit }) => !known.has(kit))?.kit ?? null;
}

/** The part of the workshop's own that counts for a plan with these kits: all that is needed to make it again. */
export function selectToolSettings(
  { rates, kits = [], tools = [] }: Workshop,
  asked: readonly string[] | undefined,
): Workshop {
  const used = kits.filter((kit) => asked?.includes(kit.id));
  const named = new Set(used.flatMap((kit) => kit.tools));
  const own = tools.filter((tool) => named.has(tool.id));
  return {
    ...(own.length > 0 && { tools: own }),
    ...(used.length > 0 && { kits: used }),
    ...(rates && { rates }),
  };
}

/**
 * What tells whether a plan was made with the same tools and rates: those of the kits that it may use. Another tool
 * in the settings changes nothing for a plan that does not know it.
 */
export function hashTools(workshop: Workshop, kits: readonly string[] | undefined): string {
  const own = (workshop.kits ?? [])
    .filter((kit) => kits?.includes(kit.id))
    .map((kit) => ({
      ...kit,
      tools: kit.tools.map((id) => workshop.tools?.find((tool) => tool.id === id) ?? id),
    }));
  return createHash('sha256')
    .update(JSON.stringify([workshop.rates ?? null, own]))
    .digest('hex');
}
