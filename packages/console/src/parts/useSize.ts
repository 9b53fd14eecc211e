import { useEffect, useState, type RefObject } from 'react';

/** The size of an element in px, as it changes; 0 before it is known. */
export function useSize(element: RefObject<HTMLElement | null>): { width: number; height: number } {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (element.current === null) return;
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      setSize({ width, height });
    });
    observer.observe(element.current);
    return () => observer.disconnect();
  }, [element]);
  return size;
}
