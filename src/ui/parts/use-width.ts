import { useCallback, useState } from 'react';

/** Width of an element as it is shown, in pixels; 0 before it is. @returns the reference to give it, and the width. */
export function useWidth(): readonly [(element: HTMLElement | null) => void, number] {
  const [width, setWidth] = useState(0);
  const ref = useCallback((element: HTMLElement | null) => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      setWidth(Math.round(entry?.contentRect.width ?? 0));
    });
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, []);
  return [ref, width];
}
