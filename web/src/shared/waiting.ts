import { useMutationState } from "@tanstack/react-query";

/** What was asked for by edits of one kind that have not been answered yet, the oldest first. */
export function useWaiting<Asked>(mutationKey: string[]): Asked[] {
  return useMutationState({
    filters: { mutationKey, status: "pending" },
    select: (mutation) => mutation.state.variables as Asked,
  });
}
