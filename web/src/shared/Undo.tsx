import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, told } from "../api/client";
import { outdated } from "./outdated";
import classes from "./Undo.module.css";

/** Takes the household back by its last edit; Ctrl+Z does too, where nothing is typed. */
export function Undo({ what }: { what: string | null }) {
  const { mutate, error } = useUndo();
  return (
    <>
      <button type="button" className={classes.undo} disabled={!what} onClick={() => mutate()}>
        {what ? `Undo “${what}”` : "Nothing to undo"}
      </button>
      {error && <span role="alert">{error.message}</span>}
    </>
  );
}

function useUndo() {
  const client = useQueryClient();
  const undo = useMutation({
    mutationFn: () => told(api.POST("/api/undo")),
    onSuccess: () => outdated(client),
  });
  const { mutate } = undo;
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLInputElement;
      if (event.key === "z" && (event.ctrlKey || event.metaKey) && !event.shiftKey && !typing) {
        event.preventDefault();
        mutate();
      }
    }
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [mutate]);
  return undo;
}
