import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, told } from "../api/client";
import classes from "./Refinement.module.css";

const ASK_AGAIN_MS = 1000;

interface Props {
  /** The first part of the query key of the plan that is shown. */
  of: string;
  /** Which plan is shown. */
  revision: string;
  /** Nights that it covers; none for tonight's. */
  nights?: number;
}

/** Asks the longer search for a better plan than the one shown, says so while it goes on, and fetches what is worth a coin. */
export function Refinement({ of, revision, nights }: Props) {
  const client = useQueryClient();
  const { data } = useQuery({
    queryKey: ["refinement", revision],
    queryFn: () => told(api.GET("/api/refinement", { params: { query: { nights } } })),
    refetchInterval: (query) => (query.state.data?.state === "searching" ? ASK_AGAIN_MS : false),
    refetchOnWindowFocus: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const better = data?.state === "settled" && data.better;
  useEffect(() => {
    if (better) client.invalidateQueries({ queryKey: [of] });
  }, [better, client, of]);
  return (
    <small role="status" className={classes.state}>
      {data?.state === "searching" && "Still looking for a better plan."}
    </small>
  );
}
