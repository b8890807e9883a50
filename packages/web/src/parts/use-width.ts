import { useCallback, useRef, useState } from 'react';

/** The width of an element, as it changes: how it is found, the element itself, and its width in screen pixels. */
export function useWidth() {
  const [width, setWidth] = useState(900);
  const element = useRef<HTMLDivElement>(null);
  const measure = useCallback((found: HTMLDivElement | null) => {
    element.current = found;
    if (!found) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.max(1, entry.contentRect.width)));
    observer.observe(found);
    return () => observer.disconnect();
  }, []);
  return [measure, element, width] as const;
}
