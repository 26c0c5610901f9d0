import type { Workshop } from '$core/planning';
import { SHIPPED_KITS, SHIPPED_TOOLS } from '$core/tools';

/** The kits that ship and those of the workshop. */
export const listKits = (workshop: Workshop): readonly { id: string; name: string }[] => [
  ...SHIPPED_KITS,
  ...(workshop.kits ?? []),
];

/** Those of the kits asked for that are still described; undefined: none was asked for, or is. */
export function selectKnownKits(
  workshop: Workshop,
  asked: readonly string[] | undefined,
): string[] | undefined {
  const known = asked?.filter((id) => listKits(workshop).some((kit) => kit.id === id));
  return known && known.length > 0 ? known : undefined;
}

const nameIn =
  (things: readonly { id: string; name: string }[]) =>
  (id: string): string =>
    things.find((one) => one.id === id)?.name ?? id;

/** How a kit is called; one that was deleted since is called by its id. */
export const kitNameIn = (workshop: Workshop): ((id: string) => string) => nameIn(listKits(workshop));

/** How a tool is called; one that was deleted since is called by its id. */
export const toolNameIn = (workshop: Workshop): ((id: string) => string) =>
  nameIn([...SHIPPED_TOOLS, ...(workshop.tools ?? [])]);
