import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import classes from "./Cautions.module.css";
import { EditProblem } from "./EditProblem";
import { counted, unbroken } from "./format";
import { outdated } from "./outdated";

type Caution = Schemas["ReadableCaution"];

/** Cautions where the decision is made. What was read is folded under the others, and comes back when its cause changes. */
export function Cautions({ cautions }: { cautions: Caution[] }) {
  const unread = cautions.filter((caution) => !caution.read);
  const read = cautions.filter((caution) => caution.read);
  return (
    <>
      {unread.map((caution) => (
        <OneCaution key={caution.code + caution.subject} caution={caution} open={unread.length === 1} />
      ))}
      {read.length > 0 && (
        <details className={classes.read}>
          <summary>{counted(read.length, "caution")} read</summary>
          {read.map((caution) => (
            <OneCaution key={caution.code + caution.subject} caution={caution} open={false} />
          ))}
        </details>
      )}
    </>
  );
}

function OneCaution({ caution, open }: { caution: Caution; open: boolean }) {
  const client = useQueryClient();
  const { code, about, subject, read } = caution;
  const marking = useMutation({
    mutationFn: () => told(api.PUT("/api/cautions", { body: { code, about, subject, read: !read } })),
    onSuccess: () => outdated(client),
  });
  return (
    <details className={classes.caution} open={open}>
      <summary>{caution.title}</summary>
      <p>{unbroken(`${caution.because.charAt(0).toUpperCase()}${caution.because.slice(1)}: ${caution.advice}`)}</p>
      <button type="button" disabled={marking.isPending} onClick={() => marking.mutate()}>
        {read ? "Show it again" : "I have read it"}
      </button>
      <EditProblem error={marking.error} what="this" />
    </details>
  );
}
