import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body } from './client';

/** What is in the bin. */
export function useBin() {
  return useQuery({
    queryKey: ['bin'],
    queryFn: async () => body(await api.GET('/api/bin')),
  });
}

/** Nearly every page shows something of a take: all of it is asked for anew. */
function useChanging(change: (id: string) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useBinTake() {
  return useChanging((id) => api.DELETE('/api/takes/{id}', { params: { path: { id } } }));
}

export function useRestoreTake() {
  return useChanging((id) => api.POST('/api/bin/{id}', { params: { path: { id } } }));
}

export function useEraseTake() {
  return useChanging((id) => api.DELETE('/api/bin/{id}', { params: { path: { id } } }));
}

/** What would go with a person. */
export function useErasing(id: string) {
  return useQuery({
    queryKey: ['people', id, 'erasing'],
    queryFn: async () =>
      body(await api.GET('/api/people/{id}/erasing', { params: { path: { id } } })),
    staleTime: 0,
  });
}

export function useErasePerson() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (id: string) => api.DELETE('/api/people/{id}', { params: { path: { id } } }),
    // The person's own page is left first: nothing of it is asked for again.
    onSuccess: () => client.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' }),
  });
}
