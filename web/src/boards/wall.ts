// The hours between which a wall is dark.
const [night, morning] = [22, 6];

// dimmed says whether a wall is dark at a time.
export function dimmed(at: Date): boolean {
  const hour = at.getHours();
  return hour >= night || hour < morning;
}
