import { useEffect, useRef } from "react";

/** Gives the cursor back to where it was when this came up, unless it has gone elsewhere by itself. */
export function useReturn(): void {
  const before = useRef(document.activeElement as HTMLElement | null);
  useEffect(
    () => () => {
      const now = document.activeElement;
      if ((!now || now === document.body) && before.current?.isConnected)
        before.current.focus({ preventScroll: true });
    },
    [],
  );
}
