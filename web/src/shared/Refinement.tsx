import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, type Schemas, told } from "../api/client";
import { type Manner, money } from "./format";
import classes from "./Refinement.module.css";

const ASK_AGAIN_MS = 1000;

interface Props {
  /** The first part of the query key of the plan that is shown. */
  of: string;
  /** Which plan is shown. */
  revision: string;
  /** Nights that it covers; none for tonight's. */
  nights?: number;
  manner: Manner;
}

/**
 * Asks the longer search for a better plan than the one shown, says so while it goes on, fetches what is worth a coin, and
 * says how good the plan then is.
 */
export function Refinement({ of, revision, nights, manner }: Props) {
  const client = useQueryClient();
  const { data } = useQuery({
    queryKey: ["refinement", revision],
    queryFn: () => told(api.GET("/api/refinement", { params: { query: { nights } } })),
    refetchInterval: (query) => (query.state.data?.state === "searching" ? ASK_AGAIN_MS : false),
    refetchOnWindowFocus: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const better = data?.better ? data.steps : 0;
  useEffect(() => {
    if (better) client.invalidateQueries({ queryKey: [of] });
  }, [better, client, of]);
  return (
    <div className={classes.state}>
      <span role="status">{data?.state === "searching" && "Still looking for a better plan."}</span>
      {data?.state === "settled" && <HowGood found={data} manner={manner} />}
    </div>
  );
}

/** How good the plan is, and, opened, how that is known. */
function HowGood({ found, manner }: { found: Schemas["Refinement"]; manner: Manner }) {
  if (found.saves_at_most === null) return null;
  const kept = found.by_habit ? " that keeps to your habits" : "";
  return (
    <details className={classes.known}>
      <summary>
        {found.proven
          ? `No plan${kept} is noticeably better.`
          : `No better plan found; none${kept} saves over ${money(found.saves_at_most, manner)}.`}
      </summary>
      <p>
        A plan is better if less comes up short, then if cars wait less below their boost level,
        {found.by_habit && " then if less is missed of what a habit wishes,"} then if it counts less: what charging
        costs, the hours a battery stands above its rest level, and every start. A longer search went on from the plan
        that came at once. Beside it stands a figure that no plan{kept} can be below
        {found.proven ? ", and this one is next to nothing above it." : "; whether any gets that low is not known."}
        {found.by_habit && " What other habits come to is compared under Days."}
      </p>
    </details>
  );
}
