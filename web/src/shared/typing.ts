import { useRef } from "react";

/**
 * Whose edit a typed text becomes. It is made on what the field shows by then; where that is no longer what it showed when
 * the typing began, somebody else has changed it, and the text goes to the edit of then, which comes with the older version.
 */
export function useTyping<Value>(shown: string, onCommit: (value: Value) => void) {
  const now = useRef({ shown, onCommit });
  now.current = { shown, onCommit };
  const begun = useRef(now.current);
  return {
    begin: () => {
      begun.current = now.current;
    },
    commit: (value: Value) => {
      const { onCommit } = begun.current.shown === now.current.shown ? now.current : begun.current;
      onCommit(value);
    },
  };
}
