import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
// Answers without a body are not unwrapped: refused ones have been thrown by then.
import { api, body, keepToken, type Schemas } from './client';

/** Somebody's practice for the seven days from today. */
export function usePractice(id: string | undefined) {
  return useQuery({
    queryKey: ['people', id, 'practice'],
    enabled: id !== undefined,
    queryFn: async () =>
      body(await api.GET('/api/people/{id}/practice', { params: { path: { id: id ?? '' } } })),
  });
}

export function usePracticeTime(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (minutes: number[]) =>
      body(
        await api.PUT('/api/people/{id}/practice-time', {
          params: { path: { id } },
          body: { minutes },
        }),
      ),
    onSuccess: (practice) => client.setQueryData(['people', id, 'practice'], practice),
  });
}

export function useReportPractice() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, how }: { id: string; how: Schemas['How'] }) =>
      await api.POST('/api/corrections/{id}/practice', {
        params: { path: { id } },
        body: { how },
      }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['people'] }),
  });
}

export function useChoosePractice() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, ...choice }: { id: string } & Schemas['PracticeChoice']) =>
      await api.PUT('/api/corrections/{id}/practice', {
        params: { path: { id } },
        body: choice,
      }),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Everything with a date. */
export function useCalendar() {
  return useQuery({
    queryKey: ['calendar'],
    queryFn: async () => body(await api.GET('/api/calendar')),
  });
}

export function useLesson(id: string) {
  return useQuery({
    queryKey: ['lessons', id],
    queryFn: async () => body(await api.GET('/api/lessons/{id}', { params: { path: { id } } })),
  });
}

export function useProposeLesson() {
  return useMutation({
    mutationFn: async (input: Schemas['LessonInput']) =>
      body(await api.POST('/api/lesson-proposal', { body: input })),
  });
}

export function useKeepLesson() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['LessonInput']) =>
      body(await api.POST('/api/lessons', { body: input })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useRemoveLesson() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) =>
      await api.DELETE('/api/lessons/{id}', { params: { path: { id } } }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['calendar'] }),
  });
}

export function useEndLesson(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (ended: boolean) =>
      body(await api.PUT('/api/lessons/{id}/end', { params: { path: { id } }, body: { ended } })),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useLiveNote(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (note: Schemas['LiveNote']) =>
      await api.POST('/api/lessons/{id}/notes', { params: { path: { id } }, body: note }),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useLinks(kind: Schemas['LinkKind'], person?: string) {
  return useQuery({
    queryKey: ['links', kind, person],
    queryFn: async () => body(await api.GET('/api/links', { params: { query: { kind, person } } })),
  });
}

export function useMakeLink() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['NewLink']) =>
      body(await api.POST('/api/links', { body: input })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['links'] }),
  });
}

export function useCloseLink() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) =>
      await api.DELETE('/api/links/{id}', { params: { path: { id } } }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['links'] }),
  });
}

/** A student's sheet, as the coach prints it. */
export function useSheet(id: string) {
  return useQuery({
    queryKey: ['people', id, 'sheet'],
    queryFn: async () =>
      body(await api.GET('/api/people/{id}/sheet', { params: { path: { id } } })),
  });
}

/** A student's sheet, opened by its private address. */
export function useSharedSheet(token: string) {
  return useQuery({
    queryKey: ['shared', token],
    queryFn: async () =>
      body(await api.GET('/api/shared/sheet/{token}', { params: { path: { token } } })),
    retry: false,
  });
}

export function useSharedReport(token: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, how }: { id: string; how: Schemas['How'] }) => {
      // Nobody is signed in here: the token of this visit comes first.
      keepToken(body(await api.GET('/api/session')).token);
      return await api.POST('/api/shared/sheet/{token}/things/{id}', {
        params: { path: { token, id } },
        body: { how },
      });
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['shared', token] }),
  });
}

/** Two takes of one figure laid on each other by count. */
export function useThenAndNow(then: string | null, now: string | null) {
  return useQuery({
    queryKey: ['then-and-now', then, now],
    enabled: then !== null && now !== null,
    queryFn: async () =>
      body(
        await api.GET('/api/then-and-now', {
          params: { query: { then: then ?? '', now: now ?? '' } },
        }),
      ),
  });
}

/** How well the coach's own marking repeats. */
export function useRepeatability() {
  return useQuery({
    queryKey: ['repeatability'],
    queryFn: async () => body(await api.GET('/api/repeatability')),
  });
}

export function useBlindFrames(take: string) {
  return useQuery({
    queryKey: ['blind-frames', take],
    queryFn: async () =>
      body(await api.GET('/api/takes/{id}/blind-frames', { params: { path: { id: take } } })),
    staleTime: Infinity,
    gcTime: 0,
    refetchOnWindowFocus: false,
  });
}

export function useKeepBlind(take: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (marks: Schemas['BlindMarks'][]) =>
      body(
        await api.POST('/api/takes/{id}/blind-frames', {
          params: { path: { id: take } },
          body: marks,
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ['repeatability'] }),
  });
}
