import { ApiError } from "../api/client";

interface Props {
  error: Error | null;
  /** What was edited, as in "this line". */
  what: string;
  /** Fields that tell their own mistakes. */
  fields?: string[];
  className?: string;
}

/** Why an edit was not made, where no field of its own tells it. */
export function EditProblem({ error, what, fields = [], className }: Props) {
  if (!error) return null;
  const problem = error instanceof ApiError ? error : undefined;
  if (problem?.status === 422 && Object.keys(problem.byField).some((field) => fields.includes(field))) return null;
  return (
    <p role="alert" className={className}>
      {problem?.status === 409
        ? `${problem.problem.by} changed ${what} meanwhile; it is shown as it is now.`
        : error.message}
    </p>
  );
}
