/** The moon as it stands: the lit part of its disc, for an age from 0 (new) through 0.5 (full) to 1. */
export function Moon({ age, name, size = 26 }: { age: number; name: string; size?: number }) {
  const r = 12;
  const lit = Math.cos(2 * Math.PI * age);
  const waxing = age < 0.5;
  const outer = waxing ? 1 : 0;
  const inner = (waxing ? lit > 0 : lit < 0) ? 0 : 1;
  const path = `M 16 4 A ${r} ${r} 0 0 ${outer} 16 28 A ${Math.abs(lit) * r} ${r} 0 0 ${waxing ? inner : inner} 16 4`;
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" role="img" aria-label={name}>
      <circle cx="16" cy="16" r={r} fill="none" stroke="var(--faint)" />
      <path d={path} fill="var(--lamp)" />
    </svg>
  );
}
