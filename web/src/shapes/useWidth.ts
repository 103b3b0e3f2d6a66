import { useEffect, useRef, useState } from 'react';

/** Width of a box in pixels, followed as it changes. */
export function useWidth() {
  const ref = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(640);
  useEffect(() => {
    const box = ref.current;
    if (!box) return;
    const watch = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    watch.observe(box);
    return () => watch.disconnect();
  }, []);
  return [ref, width] as const;
}
