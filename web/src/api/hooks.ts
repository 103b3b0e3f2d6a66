import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body, keepToken, type Schemas } from './client';

const key = {
  session: ['session'],
  today: ['today'],
  people: ['people'],
  couples: ['couples'],
  charts: ['charts'],
  faults: ['faults'],
  takes: ['takes'],
};

export function useSession() {
  return useQuery({
    queryKey: key.session,
    queryFn: async () => {
      const view = body(await api.GET('/api/session'));
      keepToken(view.token);
      return view;
    },
    staleTime: Infinity,
  });
}

export function useSignIn() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (given: Schemas['SignIn']) =>
      body(await api.POST('/api/session', { body: given })),
    onSuccess: (view) => {
      keepToken(view.token);
      client.setQueryData(key.session, view);
    },
  });
}

export function useSignOut() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => api.DELETE('/api/session'),
    onSuccess: () => {
      client.clear();
      window.location.assign('/');
    },
  });
}

export function useToday() {
  return useQuery({
    queryKey: key.today,
    queryFn: async () => body(await api.GET('/api/today')),
  });
}

export function usePeople() {
  return useQuery({
    queryKey: key.people,
    queryFn: async () => body(await api.GET('/api/people')),
  });
}

export function usePerson(id: string) {
  return useQuery({
    queryKey: [...key.people, id],
    queryFn: async () => body(await api.GET('/api/people/{id}', { params: { path: { id } } })),
  });
}

export function useLog(id: string) {
  return useQuery({
    queryKey: [...key.people, id, 'log'],
    queryFn: async () => body(await api.GET('/api/people/{id}/log', { params: { path: { id } } })),
  });
}

export function useProgress(id: string | undefined) {
  return useQuery({
    queryKey: [...key.people, id, 'progress'],
    enabled: id !== undefined,
    queryFn: async () =>
      body(await api.GET('/api/people/{id}/progress', { params: { path: { id: id ?? '' } } })),
  });
}

export function useSavePerson() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      was,
      input,
    }: {
      was?: Schemas['Person'];
      input: Schemas['PersonInput'];
    }) =>
      was
        ? body(
            await api.PUT('/api/people/{id}', {
              params: { path: { id: was.id }, header: { 'If-Match': `"${was.version}"` } },
              body: input,
            }),
          )
        : body(await api.POST('/api/people', { body: input })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useCouples() {
  return useQuery({
    queryKey: key.couples,
    queryFn: async () => body(await api.GET('/api/couples')),
  });
}

export function useCreateCouple() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['CoupleInput']) =>
      body(await api.POST('/api/couples', { body: input })),
    onSuccess: () => client.invalidateQueries({ queryKey: key.couples }),
  });
}

export function useFrameLimit() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ couple, limit }: { couple: Schemas['Couple']; limit: number | null }) =>
      body(
        await api.PUT('/api/couples/{id}/frame-limit', {
          params: { path: { id: couple.id }, header: { 'If-Match': `"${couple.version}"` } },
          body: { frame_limit: limit },
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useCharts() {
  return useQuery({
    queryKey: key.charts,
    queryFn: async () => body(await api.GET('/api/charts')),
    staleTime: Infinity,
  });
}

export function useCatalogue() {
  return useQuery({
    queryKey: key.faults,
    queryFn: async () => body(await api.GET('/api/faults')),
    staleTime: Infinity,
  });
}

export function useTakes() {
  return useQuery({
    queryKey: key.takes,
    queryFn: async () => body(await api.GET('/api/takes')),
  });
}

export function useTake(id: string) {
  return useQuery({
    queryKey: [...key.takes, id],
    queryFn: async () => body(await api.GET('/api/takes/{id}', { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.clip?.state === 'preparing' ? 700 : false),
  });
}

export function useCreateTake() {
  return useMutation({
    mutationFn: async (input: Schemas['NewTake']) =>
      body(await api.POST('/api/takes', { body: input })),
  });
}

export function useReviewed(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (reviewed: boolean) =>
      body(
        await api.PUT('/api/takes/{id}/reviewed', {
          params: { path: { id } },
          body: { reviewed },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: key.takes }),
  });
}

export function useBench(id: string) {
  return useQuery({
    queryKey: ['bench', id],
    queryFn: async () => body(await api.GET('/api/takes/{id}/bench', { params: { path: { id } } })),
  });
}

/** Sends changes of marks one after the other, each on the version the one before it left. */
export function useMarks(id: string) {
  const client = useQueryClient();
  const queryKey = ['bench', id];
  return useMutation({
    scope: { id: `marks ${id}` },
    mutationFn: async (entries: Schemas['Entry'][]) => {
      const version = client.getQueryData<Schemas['BenchView']>(queryKey)?.version ?? 0;
      return body(
        await api.POST('/api/takes/{id}/marks', {
          params: { path: { id }, header: { 'If-Match': `"${version}"` } },
          body: { entries },
        }),
      );
    },
    onSuccess: (view) => client.setQueryData(queryKey, view),
    onError: () => client.invalidateQueries({ queryKey }),
  });
}

export function useDecide(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['DecisionInput']) =>
      body(await api.POST('/api/takes/{id}/decisions', { params: { path: { id } }, body: input })),
    onSuccess: (view) => {
      client.setQueryData(['bench', id], view);
      void client.invalidateQueries({ queryKey: key.people });
    },
  });
}

export function useWithdraw(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (decision: string) =>
      body(
        await api.DELETE('/api/takes/{id}/decisions/{decision}', {
          params: { path: { id, decision } },
        }),
      ),
    onSuccess: (view) => {
      client.setQueryData(['bench', id], view);
      void client.invalidateQueries({ queryKey: key.people });
    },
  });
}

export function useLook() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, fine }: { id: string; fine: boolean }) =>
      body(
        await api.POST('/api/corrections/{id}/looks', { params: { path: { id } }, body: { fine } }),
      ),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useChangeCorrection() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      was,
      input,
    }: {
      was: Schemas['Correction'];
      input: Schemas['CorrectionChange'];
    }) =>
      body(
        await api.PUT('/api/corrections/{id}', {
          params: { path: { id: was.id }, header: { 'If-Match': `"${was.version}"` } },
          body: input,
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: key.people }),
  });
}
