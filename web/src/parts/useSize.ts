import { useLayoutEffect, useRef, useState } from "react";

/** The size of an element in CSS pixels, followed as it changes. */
export function useSize<T extends HTMLElement>() {
  const ref = useRef<T>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    if (!ref.current) return;
    const watch = new ResizeObserver(
      ([entry]) => entry && setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    watch.observe(ref.current);
    return () => watch.disconnect();
  }, []);
  return { ref, ...size };
}
