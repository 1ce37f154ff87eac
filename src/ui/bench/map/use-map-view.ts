import { useEffect, useRef, useState } from 'react';
import { useKeys } from '../../parts/use-keys';
import { WHOLE, moved, zoomed, type MapView } from './map-view';

/** Width of the column with numbers and roles: a third of the map, as long as they can be read and the lanes have the rest. */
const NAMES = { share: 0.33, least: 150, most: 340 } as const;
export const NAMES_STYLE = `clamp(${NAMES.least}px, ${100 * NAMES.share}cqw, ${NAMES.most}px)`;
const namesWidth = (map: number): number => Math.max(NAMES.least, Math.min(NAMES.most, NAMES.share * map));
/** By how much one wheel step goes along. */
const WHEEL_SPAN = 900;

/** How close the map is looked at, by keys, by wheel and by its buttons. @param shape a change of it is another element to listen to. */
export function useMapView(shape: string) {
  const [view, setView] = useState<MapView>(WHOLE);
  const scroller = useRef<HTMLDivElement>(null);
  const closer = () => {
    setView((v) => zoomed(v, 2, 0.5));
  };
  const farther = () => {
    setView((v) => zoomed(v, 0.5, 0.5));
  };
  const whole = () => {
    setView(WHOLE);
  };
  useKeys({
    closer,
    farther,
    whole,
    left: () => {
      setView((v) => moved(v, -0.2));
    },
    right: () => {
      setView((v) => moved(v, 0.2));
    },
  });
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    // React listens passively: to keep the page from zooming, this one must not.
    const onWheel = (event: WheelEvent) => {
      const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY);
      if (!event.ctrlKey && !event.shiftKey && !sideways) return;
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const names = namesWidth(box.width);
      const place = Math.min(1, Math.max(0, (event.clientX - box.left - names) / Math.max(1, box.width - names)));
      if (event.ctrlKey) setView((v) => zoomed(v, event.deltaY < 0 ? 1.25 : 0.8, place));
      else setView((v) => moved(v, (sideways ? event.deltaX : event.deltaY) / WHEEL_SPAN));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => {
      element.removeEventListener('wheel', onWheel);
    };
  }, [shape]);
  return { view, setView, scroller, closer, farther, whole };
}
