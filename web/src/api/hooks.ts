import {
  keepPreviousData,
  skipToken,
  useMutation,
  useQuery,
  useQueryClient,
  type QueryClient,
} from '@tanstack/react-query';
import { useEffect } from 'react';
import { api, body, keepToken, type Schemas } from './client';
import type { operations } from './schema';

const key = {
  session: ['session'],
  today: ['today'],
  people: ['people'],
  couples: ['couples'],
  charts: ['charts'],
  faults: ['faults'],
  takes: ['takes'],
  routines: ['routines'],
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

export function useChangePassword() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (given: Schemas['NewPassword']) =>
      body(await api.PUT('/api/session/password', { body: given })),
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

/** Keeps an entry of the studio's own. */
export function useSaveFault() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ entry, version }: { entry: Schemas['Fault']; version: number }) =>
      body(
        await api.PUT('/api/faults/{id}', {
          params: { path: { id: entry.id }, header: { 'If-Match': `"${version}"` } },
          body: entry,
        }),
      ),
    onSuccess: (view) => {
      client.setQueryData(key.faults, view);
      void client.invalidateQueries();
    },
  });
}

export function useRemoveFault() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) =>
      body(await api.DELETE('/api/faults/{id}', { params: { path: { id } } })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** What an entry would find in the newest takes. */
export function usePreviewFault() {
  return useMutation({
    mutationFn: async (entry: Schemas['Fault']) =>
      body(await api.POST('/api/fault-preview', { body: entry })),
  });
}

export function useImportFaults() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (text: string) => {
      let file: Schemas['FaultFile'];
      try {
        file = JSON.parse(text) as Schemas['FaultFile'];
      } catch {
        throw new Error('This is no file of faults that this program can read.');
      }
      return body(await api.PUT('/api/fault-file', { body: file }));
    },
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useAgreement() {
  return useQuery({
    queryKey: ['agreement'],
    queryFn: async () => body(await api.GET('/api/agreement')),
  });
}

export type LogQuery = NonNullable<operations['corrections_log']['parameters']['query']>;

/** The studio's log of corrections. */
export function useStudioLog(query: LogQuery) {
  return useQuery({
    queryKey: [...key.people, 'log', query],
    queryFn: async () => body(await api.GET('/api/log', { params: { query } })),
    placeholderData: keepPreviousData,
  });
}

/** What a correction said before. */
export function useCorrectionHistory(id: string, wanted: boolean) {
  return useQuery({
    queryKey: [...key.people, 'history', id],
    enabled: wanted,
    queryFn: async () =>
      body(await api.GET('/api/corrections/{id}/history', { params: { path: { id } } })),
  });
}

/** By what a couple is judged; its takes are judged again. */
export function useChoices() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      couple,
      choices,
    }: {
      couple: Schemas['Couple'];
      choices: Schemas['Choices'];
    }) =>
      body(
        await api.PUT('/api/couples/{id}/choices', {
          params: { path: { id: couple.id }, header: { 'If-Match': `"${couple.version}"` } },
          body: choices,
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
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
    refetchInterval: (q) => {
      const { clip, further = [] } = q.state.data ?? {};
      return [clip, ...further].some((c) => c?.state === 'preparing') ? 700 : false;
    },
  });
}

/** Clips of a take that broke off on their way in. */
export function useUploads(id: string) {
  return useQuery({
    queryKey: [...key.takes, id, 'uploads'],
    queryFn: async () =>
      body(await api.GET('/api/takes/{id}/uploads', { params: { path: { id } } })),
  });
}

export function useCreateTake() {
  return useMutation({
    mutationFn: async (input: Schemas['NewTake']) =>
      body(await api.POST('/api/takes', { body: input })),
  });
}

/** Says when a further angle begins on the first one's clock. */
export function useAlign(id: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `angles ${id}` },
    mutationFn: async (begin: Schemas['Begin']) =>
      body(await api.PUT('/api/takes/{id}/angles', { params: { path: { id } }, body: begin })),
    onSuccess: (clip) =>
      client.setQueryData<Schemas['TakeView']>([...key.takes, id], (was) =>
        was
          ? { ...was, further: was.further.map((c) => (c.angle === clip.angle ? clip : c)) }
          : undefined,
      ),
  });
}

/** Faults that a simulated couple can show in a figure. */
export function useShowable(chart: string) {
  return useQuery({
    queryKey: ['showable', chart],
    queryFn: async () =>
      body(await api.GET('/api/studio/faults', { params: { query: { chart } } })),
    staleTime: Infinity,
  });
}

export function useMakePractice() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['PracticeInput']) =>
      body(await api.POST('/api/studio', { body: input })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: key.takes });
      void client.invalidateQueries({ queryKey: key.people });
      void client.invalidateQueries({ queryKey: key.couples });
    },
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

type BenchView = Schemas['BenchView'];

const bench = (id: string) => ['bench', id];
const firstLook = (id: string) => ['first look', id];

/** A take's marks and what follows from them. Of a long one its first repetitions come before the rest. */
export function useBench(id: string) {
  const client = useQueryClient();
  const read = async (first: boolean) =>
    body(await api.GET('/api/takes/{id}/bench', { params: { path: { id }, query: { first } } }));
  const whole = useQuery({
    queryKey: bench(id),
    queryFn: async () => {
      if (!client.getQueryData(bench(id))) {
        const look = await read(true);
        if (look.beginning == null) return look;
        client.setQueryData(firstLook(id), look);
      }
      return read(false);
    },
  });
  const first = useQuery<BenchView>({ queryKey: firstLook(id), queryFn: skipToken });
  return { ...whole, data: whole.data ?? (whole.error ? undefined : first.data) };
}

/** Keeps what a change came to; what is still on its way is older. */
async function keepBench(client: QueryClient, id: string, view: BenchView) {
  await client.cancelQueries({ queryKey: bench(id) });
  client.setQueryData(bench(id), view);
}

/** Both dancers in space, for this version of the marks. */
export function useSpace(id: string, version: number, wanted: boolean) {
  return useQuery({
    queryKey: ['space', id, version],
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    queryFn: async () => body(await api.GET('/api/takes/{id}/space', { params: { path: { id } } })),
  });
}

/** What other places for the phone would tell of a take's couple and figure. */
export function useViews(id: string, figure: string | null) {
  return useQuery({
    queryKey: ['views', id, figure],
    staleTime: 60_000,
    queryFn: async () => body(await api.GET('/api/takes/{id}/views', { params: { path: { id } } })),
  });
}

/** Brings landmarks of another program for an angle. */
export function useBringLandmarks(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ angle, file }: { angle: number; file: File }) =>
      body(
        await api.PUT('/api/takes/{id}/landmarks', {
          params: { path: { id }, query: { angle, file: file.name } },
          body: await file.text(),
          bodySerializer: (text) => text,
          headers: { 'content-type': 'text/plain' },
        }),
      ),
    onSuccess: () => renewTake(client, id),
  });
}

/** Takes an angle's brought landmarks away. */
export function useDropLandmarks(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (angle: number) => {
      await api.DELETE('/api/takes/{id}/landmarks', { params: { path: { id }, query: { angle } } });
    },
    onSuccess: () => renewTake(client, id),
  });
}

/** Long work on a take's clips, told by the server as it goes. */
export function useWork(id: string) {
  const client = useQueryClient();
  const queryKey = ['work', id];
  useEffect(() => {
    let over = new Set<string>();
    let first = true;
    const source = new EventSource(`/api/takes/${id}/work/events`);
    source.onmessage = (e: MessageEvent<string>) => {
      const now = JSON.parse(e.data) as Schemas['WorkView'][];
      client.setQueryData(['work', id], now);
      const done = now.filter((w) => w.state === 'done').map((w) => w.id);
      // What it found changes what is measured.
      if (!first && done.some((d) => !over.has(d))) void renewTake(client, id);
      over = new Set(done);
      first = false;
    };
    return () => source.close();
  }, [client, id]);
  return useQuery({
    queryKey,
    queryFn: async () => body(await api.GET('/api/takes/{id}/work', { params: { path: { id } } })),
    staleTime: Infinity,
  });
}

/** The beat of the music in the first clip; asked for by hand, since it is worked out anew. */
export function useHear(id: string) {
  return useMutation({
    mutationFn: async () =>
      body(await api.GET('/api/takes/{id}/beat', { params: { path: { id } } })),
  });
}

/** How loud the first clip is over time, to be drawn under its counts. */
export function useWaveform(id: string, wanted: boolean) {
  return useQuery({
    queryKey: ['waveform', id],
    queryFn: async () =>
      body(await api.GET('/api/takes/{id}/waveform', { params: { path: { id } } })),
    enabled: wanted,
    staleTime: Infinity,
  });
}

/** The corner of the picture that is nearest to a rough click; null where there is none. */
export function useCorner(id: string) {
  return useMutation({
    mutationFn: async (click: Schemas['RoughClick']) =>
      body(await api.POST('/api/takes/{id}/corner', { params: { path: { id } }, body: click })),
  });
}

/** The floor reference of an earlier take whose phone has not been moved since. */
export function useFloorBefore(id: string, angle: number, wanted: boolean) {
  return useQuery({
    queryKey: ['floor-before', id, angle],
    queryFn: async () => {
      const { data } = await api.GET('/api/takes/{id}/floor-before', {
        params: { path: { id }, query: { angle } },
      });
      return data ?? null;
    },
    enabled: wanted,
    staleTime: Infinity,
  });
}

/** Lays a further angle on the first one's clock by what both phones heard. */
export function useAlignBySound(id: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `angles ${id}` },
    mutationFn: async (angle: number) =>
      body(
        await api.POST('/api/takes/{id}/angles/by-sound', {
          params: { path: { id } },
          body: { angle },
        }),
      ),
    onSuccess: () => renewTake(client, id),
  });
}

/** Finds both dancers in the clips of all angles. */
export function useFind(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (wanted: Schemas['Wanted']) =>
      body(await api.POST('/api/takes/{id}/find', { params: { path: { id } }, body: wanted })),
    onSuccess: (all) => client.setQueryData(['work', id], all),
  });
}

export function useStopWork() {
  return useMutation({
    mutationFn: (id: string) => api.DELETE('/api/work/{id}', { params: { path: { id } } }),
  });
}

/** Says that the dancers found in a part of a clip have each other's names. */
export function useExchange(id: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `exchange ${id}` },
    mutationFn: async (what: Schemas['Exchanged']) =>
      body(await api.POST('/api/takes/{id}/exchange', { params: { path: { id } }, body: what })),
    onSuccess: () => renewTake(client, id),
  });
}

/** Where both dancers were found in an angle's clip. */
export function useSights(id: string, angle: number, wanted: boolean) {
  return useQuery({
    queryKey: [...key.takes, id, 'sights', angle],
    queryFn: async () =>
      body(await api.GET('/api/takes/{id}/sights', { params: { path: { id }, query: { angle } } })),
    enabled: wanted,
    staleTime: Infinity,
  });
}

async function renewTake(client: QueryClient, id: string) {
  await Promise.all([
    client.invalidateQueries({ queryKey: key.takes }),
    client.invalidateQueries({ queryKey: bench(id) }),
    client.invalidateQueries({ queryKey: ['space', id] }),
  ]);
}

/** Sends changes of marks one after the other, each on the version the one before it left. */
export function useMarks(id: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `marks ${id}` },
    mutationFn: async (entries: Schemas['Entry'][]) => {
      const known = (key: string[]) => client.getQueryData<BenchView>(key)?.version;
      const version = known(bench(id)) ?? known(firstLook(id)) ?? 0;
      return body(
        await api.POST('/api/takes/{id}/marks', {
          params: { path: { id }, header: { 'If-Match': `"${version}"` } },
          body: { entries },
        }),
      );
    },
    onSuccess: (view) => keepBench(client, id, view),
    onError: () => client.invalidateQueries({ queryKey: bench(id) }),
  });
}

export function useDecide(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['DecisionInput']) =>
      body(await api.POST('/api/takes/{id}/decisions', { params: { path: { id } }, body: input })),
    onSuccess: async (view) => {
      await keepBench(client, id, view);
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
    onSuccess: async (view) => {
      await keepBench(client, id, view);
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

export function useChart(id: string | undefined) {
  return useQuery({
    queryKey: [...key.charts, id],
    enabled: id !== undefined,
    staleTime: Infinity,
    queryFn: async () =>
      body(await api.GET('/api/charts/{id}', { params: { path: { id: id ?? '' } } })),
  });
}

/** What the checks say of a text; the answer for the last text stays until the next is there. */
export function useCheck(text: string) {
  return useQuery({
    queryKey: ['check', text],
    enabled: text !== '',
    staleTime: Infinity,
    gcTime: 30_000,
    placeholderData: (before: Schemas['Checked'] | undefined) => before,
    queryFn: async () => body(await api.POST('/api/charts/check', { body: { text } })),
  });
}

export function useWriteDraft() {
  return useMutation({
    mutationFn: async (draft: Schemas['Draft']) =>
      body(await api.POST('/api/charts/write', { body: draft })).text,
  });
}

export function useSaveChart() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      id,
      version,
      text,
    }: {
      id?: string;
      version?: number | null;
      text: string;
    }) =>
      id !== undefined && version != null
        ? body(
            await api.PUT('/api/charts/{id}', {
              params: { path: { id }, header: { 'If-Match': `"${version}"` } },
              body: { text },
            }),
          )
        : body(await api.POST('/api/charts', { body: { text } })),
    onSuccess: async (view) => {
      await client.invalidateQueries({ queryKey: key.charts });
      client.setQueryData([...key.charts, view.card.id], view);
      void client.invalidateQueries({ queryKey: ['bench'] });
      void client.invalidateQueries({ queryKey: key.routines });
    },
  });
}

export function useRemoveChart() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, version }: { id: string; version: number }) => {
      await api.DELETE('/api/charts/{id}', {
        params: { path: { id }, header: { 'If-Match': `"${version}"` } },
      });
    },
    onSuccess: () => client.invalidateQueries({ queryKey: key.charts, exact: true }),
  });
}

export function useImportCharts() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (document: string) =>
      body(await api.POST('/api/charts/import', { body: { document } })),
    onSuccess: () => client.invalidateQueries({ queryKey: key.charts }),
  });
}

export interface Sizes {
  leader?: number;
  follower?: number;
  second?: boolean;
}

/** A figure in the lengths of a couple or of one dancer. */
export function useScaled(id: string, sizes: Sizes | undefined) {
  return useQuery({
    queryKey: ['scaled', id, sizes],
    enabled: sizes !== undefined,
    queryFn: async () =>
      body(
        await api.GET('/api/charts/{id}/scaled', { params: { path: { id }, query: sizes ?? {} } }),
      ),
  });
}

export function useRoutines() {
  return useQuery({
    queryKey: key.routines,
    queryFn: async () => body(await api.GET('/api/routines')),
  });
}

export function useRoutine(id: string) {
  return useQuery({
    queryKey: [...key.routines, id],
    queryFn: async () => body(await api.GET('/api/routines/{id}', { params: { path: { id } } })),
  });
}

export function useCreateRoutine() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: Schemas['NewRoutine']) =>
      body(await api.POST('/api/routines', { body: input })),
    onSuccess: () => client.invalidateQueries({ queryKey: key.routines, exact: true }),
  });
}

/**
 * Keeps a routine over the version that `basedRef` says it was made from; changes follow each other, each on the version
 * the one before it left. What another window has kept since is read anew, and goes on being refused until the desk has
 * taken it.
 */
export function useSaveRoutine(id: string, basedRef: { current: number }) {
  const client = useQueryClient();
  const queryKey = [...key.routines, id];
  return useMutation({
    scope: { id: `routine ${id}` },
    mutationFn: async (input: Schemas['RoutineInput']) =>
      body(
        await api.PUT('/api/routines/{id}', {
          params: { path: { id }, header: { 'If-Match': `"${basedRef.current}"` } },
          body: input,
        }),
      ),
    onSuccess: (view) => {
      basedRef.current = view.routine.version;
      client.setQueryData(queryKey, view);
      void client.invalidateQueries({ queryKey: key.routines, exact: true });
    },
    onError: () => client.invalidateQueries({ queryKey }),
  });
}

export function useRemoveRoutine() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ id, version }: { id: string; version: number }) => {
      await api.DELETE('/api/routines/{id}', {
        params: { path: { id }, header: { 'If-Match': `"${version}"` } },
      });
    },
    onSuccess: () => client.invalidateQueries({ queryKey: key.routines, exact: true }),
  });
}
