import { taskFor } from '$core/drawing/test/sample';
import { DrawingStore, type Kept } from '../drawingStore.svelte';

/** A drawing with nothing in it, as the server keeps it. */
export const emptyDrawing = (kit: string): Kept => ({
  id: 1,
  name: 'by hand',
  position: 0,
  edition: 1,
  told: [],
  states: [{ kit, steps: [] }],
});

/** A store of an empty drawing on the clinic's disk, with a kit. */
export function emptyStore(kitId: string) {
  const { task, kit } = taskFor(kitId);
  return {
    task,
    kit,
    store: new DrawingStore({ number: 1, id: 1 }, () => ({ task, kit }), emptyDrawing(kitId)),
  };
}
