import type uPlot from 'uplot';
import { pan, zoom, type View } from './trace';

// gestures adds the wheel, dragging with shift, one finger to pan and two to zoom.
export function gestures(whole: View): uPlot.Plugin {
  return {
    hooks: {
      ready: [
        (u) => {
          const view = (): View => ({ min: u.scales.x?.min ?? 0, max: u.scales.x?.max ?? 1 });
          const perPixel = () => (view().max - view().min) / u.over.clientWidth;
          const left = (clientX: number) => clientX - u.over.getBoundingClientRect().left;
          u.over.addEventListener(
            'wheel',
            (e) => {
              e.preventDefault();
              const sideways = Math.abs(e.deltaX) > Math.abs(e.deltaY);
              const around = u.posToVal(left(e.clientX), 'x');
              u.setScale(
                'x',
                sideways
                  ? pan(view(), whole, e.deltaX * perPixel())
                  : zoom(view(), whole, around, e.deltaY > 0 ? 1.25 : 0.8),
              );
            },
            { passive: false },
          );
          u.over.addEventListener('dblclick', () => u.setScale('x', whole));

          const fingers = new Map<number, number>(); // where each pointer is
          u.over.addEventListener(
            'mousedown',
            (e) => {
              if (e.shiftKey) e.stopImmediatePropagation(); // no selection: it pans
            },
            { capture: true },
          );
          u.over.addEventListener('pointerdown', (e) => {
            if (e.pointerType === 'mouse' && !e.shiftKey) return;
            fingers.set(e.pointerId, e.clientX);
            u.over.setPointerCapture(e.pointerId);
          });
          u.over.addEventListener('pointermove', (e) => {
            const before = fingers.get(e.pointerId);
            if (before === undefined) return;
            if (fingers.size === 1) {
              u.setScale('x', pan(view(), whole, (before - e.clientX) * perPixel()));
            } else {
              const other = [...fingers].find(([id]) => id !== e.pointerId)?.[1] ?? e.clientX;
              const factor =
                Math.max(Math.abs(before - other), 10) / Math.max(Math.abs(e.clientX - other), 10);
              u.setScale('x', zoom(view(), whole, u.posToVal(left((e.clientX + other) / 2), 'x'), factor));
            }
            fingers.set(e.pointerId, e.clientX);
          });
          for (const end of ['pointerup', 'pointercancel'] as const) {
            u.over.addEventListener(end, (e) => fingers.delete(e.pointerId));
          }
        },
      ],
    },
  };
}
