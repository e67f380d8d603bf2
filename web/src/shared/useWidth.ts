import { useEffect, useRef, useState } from 'react';

// useWidth is how wide an element is, for what is drawn in it.
export function useWidth<T extends HTMLElement>(usual: number) {
  const box = useRef<T>(null);
  const [width, setWidth] = useState(usual);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const resized = new ResizeObserver(() => setWidth(element.clientWidth));
    resized.observe(element);
    return () => resized.disconnect();
  }, []);
  return [box, width] as const;
}
