// Tried is something that was asked of the service: a query, or a mutation, which says when it was tried.
export type Tried = {
  error: Error | null;
  submittedAt?: number;
  reset?: () => void;
};

// failing is what has to be said to people: that something cannot be read, or else that the last thing that was tried
// failed. What was tried before it is of no use any more.
export function failing(tried: Tried[]): Tried | undefined {
  const read = tried.find((t) => t.submittedAt === undefined && t.error);
  if (read) return read;
  const last = tried.reduce<Tried | undefined>(
    (newest, t) => (t.submittedAt !== undefined && t.submittedAt > (newest?.submittedAt ?? 0) ? t : newest),
    undefined,
  );
  return last?.error ? last : undefined;
}
