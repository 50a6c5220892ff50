import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { ApiError, api, type EveningEdit, type Tonight, told } from "../api/client";

const KEY = ["tonight"];

export function useTonight() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/tonight")), refetchOnWindowFocus: true });
}

/** Edits of one car's evening. A refused one leaves the last good plan where it is. */
export function useEveningEdit(carId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (edit: EveningEdit) =>
      told(api.PATCH("/api/tonight/{vehicle_id}", { params: { path: { vehicle_id: Number(carId) } }, body: edit })),
    onSuccess: (plan: Tonight) => client.setQueryData(KEY, plan),
    onError: (error) => {
      // What the other person did is shown beside the choice.
      if (error instanceof ApiError && error.status === 409) client.invalidateQueries({ queryKey: KEY });
    },
  });
}

export function useUndo() {
  const client = useQueryClient();
  const undo = useMutation({
    mutationFn: () => told(api.POST("/api/undo")),
    onSuccess: () => client.invalidateQueries(),
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
