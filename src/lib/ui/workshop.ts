import type { Workshop } from '$core/planning';
import { SHIPPED_KITS, SHIPPED_TOOLS } from '$core/tools';

/** The kits that ship and those of the workshop. */
export const kitsIn = (workshop: Workshop): readonly { id: string; name: string }[] => [
  ...SHIPPED_KITS,
  ...(workshop.kits ?? []),
];

const nameIn =
  (things: readonly { id: string; name: string }[]) =>
  (id: string): string =>
    things.find((one) => one.id === id)?.name ?? id;

/** How a kit is called; one that was deleted since is called by its id. */
export const kitNameIn = (workshop: Workshop): ((id: string) => string) => nameIn(kitsIn(workshop));

/** How a tool is called; one that was deleted since is called by its id. */
export const toolNameIn = (workshop: Workshop): ((id: string) => string) =>
  nameIn([...SHIPPED_TOOLS, ...(workshop.tools ?? [])]);
