const DEPTHS = [0, 1, 2, 3, 4];

/** The hatches of the five steps of depth, so that no colour is needed to tell prices apart; defined once in a drawing. */
export function DepthHatches() {
  return (
    <defs>
      {DEPTHS.map((depth) => (
        <pattern
          key={depth}
          id={`depth-${depth}`}
          width={13 - depth * 2.4}
          height={13 - depth * 2.4}
          patternUnits="userSpaceOnUse"
          patternTransform={`rotate(${depth % 2 ? 45 : -45})`}
        >
          <line x1="0" y1="0" x2="0" y2="14" stroke="var(--depth)" strokeWidth={0.5 + depth * 0.4} />
        </pattern>
      ))}
    </defs>
  );
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A stretch at a price: its wash, and its hatch over it. */
export function DepthBox({ depth, className, ...box }: Box & { depth: number; className?: string }) {
  return (
    <>
      <rect {...box} fill="var(--depth)" opacity={0.06 + depth * 0.1} />
      <rect {...box} fill={`url(#depth-${depth})`} className={className} />
    </>
  );
}

/** The same as a mark in a line of text. */
export function DepthSwatch({ depth }: { depth: number }) {
  return (
    <svg width="18" height="18" aria-hidden="true" style={{ verticalAlign: "-0.2em", marginRight: "0.4em" }}>
      <DepthHatches />
      <DepthBox depth={depth} x={0} y={0} width={18} height={18} />
      <rect x="0.5" y="0.5" width="17" height="17" fill="none" stroke="var(--rule)" />
    </svg>
  );
}
