import { useCallback, useEffect, useRef, useState } from "react";

/** How long no key may have been pressed before what was gathered is given. */
const QUIET_MS = 250;

/**
 * Presses of keys, gathered while one follows the other: `sum` is what they come to so far, and `give` gets it when none has
 * followed for a moment. A key that is held down makes one edit instead of thirty a second.
 */
export function useGathered<Sum extends Record<string, number>>(none: Sum, give: (sum: Sum) => void) {
  const [sum, setSum] = useState(none);
  const gathered = useRef<Sum | null>(null);
  const timer = useRef<number>(undefined);
  const giving = useRef(() => {});
  useEffect(() => {
    giving.current = () => {
      clearTimeout(timer.current);
      const all = gathered.current;
      if (all === null) return;
      gathered.current = null;
      setSum(none);
      give(all);
    };
  });
  // What was pressed before the screen is left is not lost; nothing is gathered any more after that.
  useEffect(
    () => () => {
      giving.current();
      clearTimeout(timer.current);
    },
    [],
  );
  const more = useCallback(
    (press: Sum) => {
      const before = gathered.current ?? none;
      const all = Object.fromEntries(Object.entries(press).map(([key, by]) => [key, (before[key] ?? 0) + by])) as Sum;
      gathered.current = all;
      setSum(all);
      clearTimeout(timer.current);
      timer.current = window.setTimeout(() => giving.current(), QUIET_MS);
    },
    [none],
  );
  return { sum, more };
}
