import { useMutation, useQuery } from '@tanstack/react-query';
import { Problem, type PackPlan } from '../api/client';
import { keys, queryClient } from '../api/queries';

export type Conflict = 'skip' | 'replace' | 'copy';

// send hands a pack to the service as it is in its file.
async function send(path: string, conflict: Conflict, file: File): Promise<PackPlan> {
  const response = await fetch(`${path}?conflict=${conflict}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: file,
  });
  const body = (await response.json()) as PackPlan & { detail?: string };
  if (!response.ok) throw new Problem(response.status, body.detail ?? response.statusText);
  return body;
}

// usePack says what importing a file would do, and does it when asked.
export function usePack(file: File | null, conflict: Conflict) {
  const preview = useQuery({
    queryKey: ['pack', file?.name, file?.size, file?.lastModified, conflict],
    queryFn: () => send('/api/packs/preview', conflict, file as File),
    enabled: file !== null,
    retry: false,
    gcTime: 0,
  });
  const run = useMutation({
    mutationFn: () => send('/api/packs', conflict, file as File),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: keys.sets }),
  });
  return {
    preview: preview.data,
    imported: run.data,
    error: run.error ?? preview.error,
    busy: run.isPending,
    run: () => run.mutate(),
    reset: () => run.reset(),
  };
}
