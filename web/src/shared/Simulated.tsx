/** Says which figures come from a stand-in that makes them up. */
export function Simulated({ what }: { what: string[] }) {
  if (what.length === 0) return null;
  return <p className="simulated">Made up, to stand in for a real service: {what.join(" and ")}.</p>;
}
