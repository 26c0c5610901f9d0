import { DragGesture } from '@use-gesture/vanilla';
import { PAD } from '../chart/measures';
import type { BoardMachine } from './boardMachine.svelte';

/** Where a pointer is on the board, in the pixels of the machine. */
export function findBoardPoint(board: Element, clientX: number, clientY: number): { x: number; y: number } {
  const box = board.getBoundingClientRect();
  return { x: clientX - box.left - PAD, y: clientY - box.top - PAD };
}

/** Pixels of the board that lie above the lower edge of the window. */
export const measureBelow = (board: Element): number =>
  window.innerHeight - board.getBoundingClientRect().top;

/** Lets the pointer drag what is on the board, once a frame; Escape breaks off. Returns what undoes that. */
export function attachDragGesture(board: SVGSVGElement, machine: BoardMachine): () => void {
  const { drag } = machine;
  let frame = 0;
  let wanted = 0;
  const noFrame = (): void => {
    cancelAnimationFrame(frame);
    frame = 0;
  };
  const bringTo = (clientX: number): void => machine.bringTo(findBoardPoint(board, clientX, 0).x);

  const gesture = new DragGesture(
    board,
    ({ first, last, tap, xy, initial, cancel, canceled }) => {
      if (first) {
        const { x, y } = findBoardPoint(board, initial[0], initial[1]);
        machine.see(measureBelow(board));
        if (!machine.takeAt(x, y)) return cancel();
      }
      if (canceled) return;
      if (last) {
        noFrame();
        if (tap) return drag.cancel();
        bringTo(xy[0]);
        drag.letGo();
        return;
      }
      // One computation a frame, however many events come.
      wanted = xy[0];
      frame ||= requestAnimationFrame(() => {
        frame = 0;
        bringTo(wanted);
      });
    },
    { filterTaps: true, threshold: 2, pointer: { capture: true } },
  );
  const escape = (event: KeyboardEvent): void => {
    if (event.key !== 'Escape' || !drag.held) return;
    noFrame();
    drag.cancel();
  };
  window.addEventListener('keydown', escape, true);
  return () => {
    gesture.destroy();
    window.removeEventListener('keydown', escape, true);
  };
}
