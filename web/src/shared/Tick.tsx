import { type ReactNode, useEffect, useState } from "react";

interface Props {
  label?: string;
  ticked: boolean;
  /** What the tick goes by: the server's answer, or what it is being asked. */
  told: unknown;
  onTick: (ticked: boolean) => void;
  children: ReactNode;
}

/** A tick that the server keeps. It shows at once; what the server is asked, or answers, takes over from it. */
export function Tick({ label, ticked, told, onTick, children }: Props) {
  const [pressed, setPressed] = useState<boolean | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is newly told ends the tick of its own
  useEffect(() => setPressed(null), [told]);
  return (
    <label>
      <input
        type="checkbox"
        aria-label={label}
        checked={pressed ?? ticked}
        onChange={(event) => {
          setPressed(event.currentTarget.checked);
          onTick(event.currentTarget.checked);
        }}
      />{" "}
      {children}
    </label>
  );
}
