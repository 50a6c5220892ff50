import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { api, told } from "../api/client";
import { outdated } from "./outdated";
import classes from "./Undo.module.css";

const UNDOING = ["undo"];

/** Takes the household back by its last edit; Ctrl+Z does too, where nothing is typed. */
export function Undo({ what }: { what: string | null }) {
  const { undo, error, isPending } = useUndo();
  return (
    <>
      <button type="button" className={classes.undo} disabled={!what} aria-disabled={isPending} onClick={undo}>
        {what ? `Undo “${what}”` : "Nothing to undo"}
      </button>
      {error && <span role="alert">{error.message}</span>}
    </>
  );
}

function useUndo() {
  const client = useQueryClient();
  const { mutate, isPending, error } = useMutation({
    mutationKey: UNDOING,
    mutationFn: () => told(api.POST("/api/undo")),
    onSuccess: () => outdated(client),
  });
  // One after the other: what the next would take back is not shown before the last is answered.
  const undo = useCallback(() => {
    if (client.isMutating({ mutationKey: UNDOING }) === 0) mutate();
  }, [mutate, client]);
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLInputElement;
      if (event.key === "z" && (event.ctrlKey || event.metaKey) && !event.shiftKey && !typing) {
        event.preventDefault();
        undo();
      }
    }
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [undo]);
  return { undo, isPending, error };
}
