import { useEffect, useRef, useState } from "react";

/** The size of an element, followed as it changes, and never less than `least`. */
export function useSize<T extends HTMLElement>(least: { width: number; height: number }) {
  const host = useRef<T>(null);
  const [size, setSize] = useState(least);
  const { width, height } = least;
  useEffect(() => {
    const watch = new ResizeObserver(
      ([entry]) =>
        entry &&
        setSize({
          width: Math.max(width, entry.contentRect.width),
          height: Math.max(height, entry.contentRect.height),
        }),
    );
    watch.observe(host.current!);
    return () => watch.disconnect();
  }, [width, height]);
  return { host, ...size };
}
