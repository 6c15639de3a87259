import {
  keepPreviousData,
  useInfiniteQuery,
  useIsMutating,
  useMutation,
  useQuery,
  useQueryClient,
  type Query,
} from '@tanstack/react-query';
import { useEffect } from 'react';
import { edited } from './edited';
import {
  client,
  type CellForm,
  type ConnectionAsked,
  data,
  type Decision,
  type DecideAlike,
  type RuleAsked,
  type CodeListAsked,
  type DraftAsked,
  type DraftPage,
  type LikenessForm,
  type DraftSettings,
  type DraftSent,
  type FieldForm,
  type EventsAsked,
  type InboxAsked,
  type Keeping,
  type CheckForm,
  type LookupAsked,
  type LookupPage,
  type NoticeForm,
  type PersonAsked,
  type SiteForm,
  type Guards,
  type LearnExample,
  type MirrorTiming,
  type ScopeRows,
  type NewMirrorAsked,
  type RefusedSuggestion,
  Refusal,
  rememberToken,
} from './client';

/** Who is signed in; null when nobody is. */
export function useSession() {
  return useQuery({
    queryKey: ['session'],
    queryFn: async () => {
      try {
        const session = await data(client.GET('/api/session'));
        rememberToken(session);
        return session;
      } catch (e) {
        if (e instanceof Refusal && e.status === 401) return null;
        throw e;
      }
    },
    staleTime: 5 * 60_000,
    retry: (count, e) => count < 30 && e instanceof Refusal && (e.status === 0 || e.status >= 500),
    retryDelay: 1000,
  });
}

export function useSignIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { email: string; password: string }) => data(client.POST('/api/session', { body })),
    onSuccess: (session) => {
      rememberToken(session);
      cache.setQueryData(['session'], session);
    },
  });
}

export function useSignOut() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => client.DELETE('/api/session'),
    onSuccess: () => {
      cache.clear();
      cache.setQueryData(['session'], null);
    },
  });
}

export const useToday = () =>
  useQuery({
    queryKey: ['today'],
    queryFn: () =>
      data(client.GET('/api/today', { params: { query: { zoneMinutes: -new Date().getTimezoneOffset() } } })),
    refetchInterval: 30_000,
  });

export const useQueues = () => useQuery({ queryKey: ['queues'], queryFn: () => data(client.GET('/api/queues')) });

export const useMirrors = () => useQuery({ queryKey: ['mirrors'], queryFn: () => data(client.GET('/api/mirrors')) });

/** The names of a mirror's fields; none while no mirror is chosen. */
export const useFieldsOf = (key: string | null) =>
  useQuery({
    queryKey: ['fieldsOf', key],
    enabled: key !== null,
    queryFn: async () =>
      (await data(client.GET('/api/mirrors/{key}', { params: { path: { key: key! } } }))).fields.map((f) => f.name),
  }).data ?? [];

export const useMirror = (key: string, sample: number) =>
  useQuery({
    queryKey: ['mirror', key, sample],
    queryFn: () => data(client.GET('/api/mirrors/{key}', { params: { path: { key }, query: { sample } } })),
    placeholderData: keepPreviousData,
  });

/** Records a part at a time: more are read as they are scrolled to. */
export const useRecords = (mirror: string | null, text: string, only: string | null, count: number) =>
  useInfiniteQuery({
    queryKey: ['records', mirror, text, only, count],
    queryFn: ({ pageParam: offset }) =>
      data(
        client.GET('/api/records', {
          params: {
            query: { mirror: mirror ?? undefined, text: text || undefined, only: only ?? undefined, offset, count },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.rows.length < count ? null : pages.length * count),
    placeholderData: keepPreviousData,
  });

export const useRecord = (link: string) =>
  useQuery({
    queryKey: ['record', link],
    queryFn: () => data(client.GET('/api/records/{link}', { params: { path: { link } } })),
  });

/** So many are read at a time. */
const POINTING = 100;

/** What points at a record by one field, page by page. */
export const usePointing = (link: string, mirror: string, field: string, enabled: boolean) =>
  useInfiniteQuery({
    queryKey: ['record', link, 'pointing', mirror, field],
    queryFn: ({ pageParam }) =>
      data(
        client.GET('/api/records/{link}/pointing', {
          params: { path: { link }, query: { mirror, field, offset: pageParam } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.length < POINTING ? undefined : pages.flat().length),
    enabled,
  });

export const useReadAgain = (link: string) =>
  useSettingsChange(() => data(client.POST('/api/records/{link}/read-again', { params: { path: { link } } })));

export const useConflicts = () =>
  useQuery({ queryKey: ['conflicts'], queryFn: () => data(client.GET('/api/conflicts')) });

export const useConflict = (id: number | null) =>
  useQuery({
    queryKey: ['conflict', id],
    queryFn: () => data(client.GET('/api/conflicts/{id}', { params: { path: { id: id! } } })),
    enabled: id !== null,
    retry: false,
  });

export const useLookAlikes = () =>
  useQuery({ queryKey: ['look-alikes'], queryFn: () => data(client.GET('/api/look-alikes')) });

export const useLookAlike = (id: number | null) =>
  useQuery({
    queryKey: ['look-alike', id],
    queryFn: () => data(client.GET('/api/look-alikes/{id}', { params: { path: { id: id! } } })),
    enabled: id !== null,
    retry: false,
  });

/** What a person says of a pair. */
export type Judgement = 'same' | 'different' | 'later' | { keep: 'a' | 'b'; take: string[] };

export function useJudge() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ id, is }: { id: number; is: Judgement }) => {
      const params = { path: { id } };
      return typeof is === 'string'
        ? client.POST('/api/look-alikes/{id}/judgement', { params, body: { is } })
        : client.POST('/api/look-alikes/{id}/double', { params, body: is });
    },
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useUndoJudgement() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => client.POST('/api/look-alikes/{id}/undo', { params: { path: { id } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** The pairs of a mirror that are at least so likely, counted before they are decided together. */
export const useAbove = (mirror: string, atLeast: number, enabled: boolean) =>
  useQuery({
    queryKey: ['look-alikes above', mirror, atLeast],
    queryFn: () => data(client.GET('/api/look-alikes/above', { params: { query: { mirror, atLeast } } })),
    enabled,
    placeholderData: keepPreviousData,
  });

export function useDecideAbove() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { mirror: string; atLeast: number }) => data(client.POST('/api/look-alikes/above', { body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** What would be put back if a record were taken out of its link. */
export const useApart = (link: string, side: number | null) =>
  useQuery({
    queryKey: ['apart', link, side],
    queryFn: () =>
      data(client.GET('/api/records/{link}/apart', { params: { path: { link }, query: { side: side! } } })),
    enabled: side !== null,
  });

export function useTakeApart(link: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { side: number; putBack: boolean }) =>
      data(client.POST('/api/records/{link}/apart', { params: { path: { link } }, body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Records that a record may be, the likeliest first; by a text, where one is given. */
export const useCandidates = (link: string, text: string, enabled: boolean) =>
  useQuery({
    queryKey: ['candidates', link, text],
    queryFn: () =>
      data(
        client.GET('/api/records/{link}/candidates', {
          params: { path: { link }, query: { text: text || undefined } },
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
    retry: false,
  });

export function useJoin(link: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { side: number; id: string }) =>
      data(client.POST('/api/records/{link}/join', { params: { path: { link } }, body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

export const useEvidence = (key: string) =>
  useQuery({
    queryKey: ['evidence', key],
    queryFn: () => data(client.GET('/api/mirrors/{key}/draft/evidence', { params: { path: { key } } })),
  });

export function useTryRecognising(key: string) {
  return useMutation({
    mutationFn: (body: { likeness: LikenessForm; recognising: string[] }) =>
      data(client.POST('/api/mirrors/{key}/draft/recognising', { params: { path: { key } }, body })),
  });
}

export const useHeld = () => useQuery({ queryKey: ['held'], queryFn: () => data(client.GET('/api/held')) });

/** The newest runs; those of one mirror, where it is given. */
export const useRuns = (mirror?: string) =>
  useQuery({
    queryKey: mirror ? ['runs', mirror] : ['runs'],
    queryFn: () => data(client.GET('/api/runs', { params: { query: mirror ? { mirror } : {} } })),
  });

export const useRun = (id: number, outcome: string | null) =>
  useQuery({
    queryKey: ['run', id, outcome],
    queryFn: () =>
      data(
        client.GET('/api/runs/{id}', { params: { path: { id }, query: { outcome: outcome ?? undefined, offset: 0 } } }),
      ),
    placeholderData: keepPreviousData,
  });

/** What a run told; read again whenever a run goes on. */
export const useRunLog = (id: number, warnings: boolean) =>
  useQuery({
    queryKey: ['run', id, 'log', warnings],
    queryFn: () =>
      data(client.GET('/api/runs/{id}/log', { params: { path: { id }, query: { warnings: warnings || undefined } } })),
    placeholderData: keepPreviousData,
  });

export const useRehearsedUndo = (id: number, link: string | null) =>
  useQuery({
    queryKey: ['undo', id, link],
    queryFn: () =>
      data(client.GET('/api/runs/{id}/undo', { params: { path: { id }, query: { link: link ?? undefined } } })),
    retry: false,
  });

export function useUndoRun() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ id, link }: { id: number; link: string | null }) =>
      data(client.POST('/api/runs/{id}/undo', { params: { path: { id }, query: { link: link ?? undefined } } })),
    onSettled: () => void cache.invalidateQueries(),
  });
}

export function useReleaseUndone() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => client.POST('/api/runs/{id}/undo/release', { params: { path: { id } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export const useSettling = (key: string, field: string, formula: string) =>
  useQuery({
    queryKey: ['settling', key, field, formula],
    queryFn: () =>
      data(
        client.GET('/api/mirrors/{key}/settling', {
          params: { path: { key }, query: { field, formula: formula || undefined } },
        }),
      ),
    retry: false,
  });

export type PlannedOnly = { kind?: string; side?: number; text?: string };
export const usePlanned = (id: number, only: PlannedOnly) =>
  useQuery({
    queryKey: ['planned', id, only],
    queryFn: () => data(client.GET('/api/runs/{id}/planned', { params: { path: { id }, query: only } })),
    placeholderData: keepPreviousData,
  });

export function useAnswerGuard() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ id, answer }: { id: number; answer: string }) =>
      data(client.POST('/api/runs/{id}/guard', { params: { path: { id } }, body: { answer } })),
    onSettled: () => void cache.invalidateQueries(),
  });
}

export function useGuards(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Guards) => client.PUT('/api/mirrors/{key}/guards', { params: { path: { key } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export const useSystems = () => useQuery({ queryKey: ['systems'], queryFn: () => data(client.GET('/api/systems')) });

export const useSystem = (key: string) =>
  useQuery({
    queryKey: ['system', key],
    queryFn: () => data(client.GET('/api/systems/{key}', { params: { path: { key } } })),
    refetchInterval: (q) => (q.state.data?.survey && !q.state.data.survey.endedAt ? 700 : false),
    retry: false,
  });

export const useCatalogue = (key: string) =>
  useQuery({
    queryKey: ['catalogue', key],
    queryFn: () => data(client.GET('/api/systems/{key}/catalogue', { params: { path: { key } } })),
    retry: false,
  });

export const useCatalogueChanges = (key: string) =>
  useQuery({
    queryKey: ['catalogueChanges', key],
    queryFn: () => data(client.GET('/api/systems/{key}/changes', { params: { path: { key } } })),
  });

export const useCalls = (key: string, trouble: boolean) =>
  useQuery({
    queryKey: ['calls', key, trouble],
    queryFn: () => data(client.GET('/api/systems/{key}/calls', { params: { path: { key }, query: { trouble } } })),
    placeholderData: keepPreviousData,
    refetchInterval: 10_000,
  });

export const useCall = (key: string, id: number | null, personal: boolean) =>
  useQuery({
    queryKey: ['call', key, id, personal],
    queryFn: () =>
      data(client.GET('/api/systems/{key}/calls/{id}', { params: { path: { key, id: id! }, query: { personal } } })),
    enabled: id !== null,
    retry: false,
  });

export const useFieldSearch = (text: string) =>
  useQuery({
    queryKey: ['fields', text],
    queryFn: () => data(client.GET('/api/fields', { params: { query: { text } } })),
    enabled: text.length > 1,
    placeholderData: keepPreviousData,
  });

export function useSurvey(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => data(client.POST('/api/systems/{key}/survey', { params: { path: { key } } })),
    onSettled: () => cache.invalidateQueries(),
  });
}

export const useEvents = (key: string) =>
  useQuery({
    queryKey: ['events', key],
    queryFn: () => data(client.GET('/api/systems/{key}/events', { params: { path: { key } } })),
  });

export function useOpenEvents(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: EventsAsked) => client.PUT('/api/systems/{key}/events', { params: { path: { key } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useCloseEvents(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => client.DELETE('/api/systems/{key}/events', { params: { path: { key } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** What a file of mirrors holds, and what it needs here. Nothing is brought in. */
export const useTemplates = () =>
  useQuery({ queryKey: ['templates'], queryFn: () => data(client.GET('/api/mirrors/templates')) });

/** The file of a mirror that ships with the product; null for none. */
export const useTemplate = (key: string | null) =>
  useQuery({
    queryKey: ['template', key],
    queryFn: () =>
      data(client.GET('/api/mirrors/templates/{key}', { params: { path: { key: key! } }, parseAs: 'text' })),
    enabled: key !== null,
    staleTime: Infinity,
  });

export const useLookAtFile = () =>
  useMutation({
    mutationFn: (text: string) =>
      data(client.POST('/api/mirrors/file/look', { body: { text, systems: null, names: null } })),
  });

export function useBringIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { text: string; systems: Record<string, string>; names: Record<string, string> }) =>
      data(client.POST('/api/mirrors/file', { body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** The addresses that a system sends its records to, with the last events of each: looked at again while somebody waits for one. */
export const useInboxes = (key: string) =>
  useQuery({
    queryKey: ['inboxes', key],
    queryFn: () => data(client.GET('/api/systems/{key}/inboxes', { params: { path: { key } } })),
    refetchInterval: 3000,
  });

export function useOpenInbox(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ collection, ...body }: InboxAsked & { collection: string }) =>
      client.PUT('/api/systems/{key}/inboxes/{collection}', { params: { path: { key, collection } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useCloseInbox(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (collection: string) =>
      client.DELETE('/api/systems/{key}/inboxes/{collection}', { params: { path: { key, collection } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Whom to tell of what, and what was told: looked at again while something waits to be sent. */
export const useNotices = () =>
  useQuery({ queryKey: ['notices'], queryFn: () => data(client.GET('/api/notices')), refetchInterval: 5000 });

function useSettingsChange<T, R>(mutationFn: (asked: T) => Promise<R>) {
  const cache = useQueryClient();
  return useMutation({ mutationFn, onSettled: () => cache.invalidateQueries() });
}

export const useKeepNotice = () =>
  useSettingsChange(({ id, form }: { id: number | null; form: NoticeForm }) =>
    id === null
      ? client.POST('/api/notices', { body: form })
      : client.PUT('/api/notices/{id}', { params: { path: { id } }, body: form }),
  );
export const useRemoveNotice = () =>
  useSettingsChange((id: number) => client.DELETE('/api/notices/{id}', { params: { path: { id } } }));
export const useTryNotice = () =>
  useMutation({
    mutationFn: ({ id, form }: { id: number | null; form: NoticeForm }) =>
      data(client.POST('/api/notices/try', { params: { query: { id: id ?? undefined } }, body: form })),
  });
export const useSendAgain = () => useSettingsChange(() => data(client.POST('/api/notices/again')));
export const useSaveSite = () => useSettingsChange((body: SiteForm) => client.PUT('/api/site', { body }));

export const useLookup = (key: string) =>
  useQuery({
    queryKey: ['lookup', key],
    queryFn: () => data(client.GET('/api/mirrors/{key}/lookup', { params: { path: { key } } })),
  });
export const useSaveLookup = (key: string) =>
  useSettingsChange((body: LookupPage['form']) =>
    client.PUT('/api/mirrors/{key}/lookup', { params: { path: { key } }, body }),
  );
export const useMakeLookupKey = (key: string) =>
  useSettingsChange((name: string) =>
    data(client.POST('/api/mirrors/{key}/lookup/keys', { params: { path: { key } }, body: { name } })),
  );
export const useEndLookupKey = (key: string) =>
  useSettingsChange((id: number) =>
    client.DELETE('/api/mirrors/{key}/lookup/keys/{id}', { params: { path: { key, id } } }),
  );
export const useTryLookup = (key: string) =>
  useMutation({
    mutationFn: (body: LookupAsked) =>
      data(client.POST('/api/mirrors/{key}/lookup/try', { params: { path: { key } }, body })),
  });

export const useChecks = (key: string) =>
  useQuery({
    queryKey: ['checks', key],
    queryFn: () => data(client.GET('/api/mirrors/{key}/checks', { params: { path: { key } } })),
  });
export const useFlags = (key: string, id: number) =>
  useQuery({
    queryKey: ['flags', key, id],
    queryFn: () => data(client.GET('/api/mirrors/{key}/checks/{id}/flags', { params: { path: { key, id } } })),
  });
export const useRecordFlags = (link: string) =>
  useQuery({
    queryKey: ['flags', link],
    queryFn: () => data(client.GET('/api/records/{link}/flags', { params: { path: { link } } })),
  });
export const useKeepCheck = (key: string) =>
  useSettingsChange(({ id, form }: { id: number | null; form: CheckForm }) =>
    data(
      id === null
        ? client.POST('/api/mirrors/{key}/checks', { params: { path: { key } }, body: form })
        : client.PUT('/api/mirrors/{key}/checks/{id}', { params: { path: { key, id } }, body: form }),
    ),
  );
export const useRemoveCheck = (key: string) =>
  useSettingsChange((id: number) => client.DELETE('/api/mirrors/{key}/checks/{id}', { params: { path: { key, id } } }));
export const useTryCheck = (key: string) =>
  useMutation({
    mutationFn: (body: CheckForm) =>
      data(client.POST('/api/mirrors/{key}/checks/try', { params: { path: { key } }, body })),
  });
export const useLookAtCheck = (key: string) =>
  useSettingsChange((id: number) =>
    client.POST('/api/mirrors/{key}/checks/{id}/look', { params: { path: { key, id } } }),
  );
export const useSayFine = (key: string) =>
  useSettingsChange(({ check, link, isFine }: { check: number; link: string; isFine: boolean }) =>
    client.POST('/api/mirrors/{key}/checks/{id}/flags/{link}/fine', {
      params: { path: { key, id: check, link } },
      body: { isFine },
    }),
  );

export const usePersonal = () => useQuery({ queryKey: ['personal'], queryFn: () => data(client.GET('/api/personal')) });
export const useSetPersonal = () =>
  useSettingsChange((body: { words: string[] }) => client.PUT('/api/personal', { body }));

export const useKeeping = () => useQuery({ queryKey: ['keeping'], queryFn: () => data(client.GET('/api/keeping')) });
export const useSetKeeping = () => useSettingsChange((body: Keeping) => client.PUT('/api/keeping', { body }));

export const usePeople = () => useQuery({ queryKey: ['people'], queryFn: () => data(client.GET('/api/people')) });
export const useAddPerson = () => useSettingsChange((body: PersonAsked) => data(client.POST('/api/people', { body })));
export const useChangePerson = () =>
  useSettingsChange(({ id, ...body }: PersonAsked & { id: number }) =>
    client.PUT('/api/people/{id}', { params: { path: { id } }, body }),
  );
export const useResetPassword = () =>
  useSettingsChange((id: number) => data(client.POST('/api/people/{id}/password', { params: { path: { id } } })));
export const useEndSession = () =>
  useSettingsChange(({ id, session }: { id: number; session: string }) =>
    client.DELETE('/api/people/{id}/sessions/{session}', { params: { path: { id, session } } }),
  );
export const useChangePassword = () =>
  useSettingsChange((asked: { old: string; new: string }) => client.PUT('/api/session/password', { body: asked }));

export const useSettingChanges = (text: string) =>
  useInfiniteQuery({
    queryKey: ['settingChanges', text],
    queryFn: ({ pageParam }) =>
      data(
        client.GET('/api/setting-changes', {
          params: { query: { text: text || undefined, before: pageParam ?? undefined } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => page.before,
    placeholderData: keepPreviousData,
  });

const draftKey = (key: string) => ['draft', key];

/** The draft, looked at with a real record: the nth of those that a text finds. */
export const useDraft = (key: string, sample: number, find: string) =>
  useQuery({
    queryKey: [...draftKey(key), sample, find],
    queryFn: async (): Promise<DraftPage> =>
      data(
        client.GET('/api/mirrors/{key}/draft', {
          params: { path: { key }, query: { sample, find: find || undefined } },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.isReading ? 1000 : false),
    // What is read while an edit is on its way would take it off the screen, and the next edit would begin without it.
    enabled: !useIsEditing(key),
  });

export function useBeginMirror() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: NewMirrorAsked) => data(client.POST('/api/mirrors', { body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useRemoveMirror() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (key: string) => client.DELETE('/api/mirrors/{key}', { params: { path: { key } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Whether an edit of the draft is on its way: what would be asked about the draft meanwhile may be answered by what it was before. */
const useIsEditing = (key: string) => useIsMutating({ mutationKey: ['edit draft', key] }) > 0;

/** What a record would lead to, by the draft. */
export const useTriedRecord = (key: string, sample: number, find: string, step: number) =>
  useQuery({
    queryKey: ['tried record', key, sample, find, step],
    queryFn: () =>
      data(
        client.POST('/api/mirrors/{key}/draft/record', {
          params: { path: { key } },
          body: { sample, find: find || null },
        }),
      ),
    retry: false,
    enabled: !useIsEditing(key),
  });

export const useFunctions = () =>
  useQuery({ queryKey: ['functions'], queryFn: () => data(client.GET('/api/functions')), staleTime: Infinity });

export const useCodeLists = () =>
  useQuery({ queryKey: ['code lists'], queryFn: () => data(client.GET('/api/code-lists')) });

export function useSaveCodeList() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ name, ...body }: { name: string } & CodeListAsked) =>
      client.PUT('/api/code-lists/{name}', { params: { path: { name } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** The codes that were seen in a side's field, each with what it may mean. */
export function useSeenCodes(key: string) {
  return useMutation({
    mutationFn: (body: { side: number; path: string; field: string }) =>
      data(client.POST('/api/mirrors/{key}/draft/codes', { params: { path: { key } }, body })),
  });
}

export function useRefuseSuggestion(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ again, ...body }: RefusedSuggestion & { again?: boolean }) =>
      again
        ? client.POST('/api/mirrors/{key}/draft/suggestions/again', { params: { path: { key } }, body })
        : client.POST('/api/mirrors/{key}/draft/suggestions/refused', { params: { path: { key } }, body }),
    onSettled: () => cache.invalidateQueries({ predicate: (q) => q.queryKey[0] === 'suggestions' }),
  });
}

export const useSuggestions = (key: string, step: number) =>
  useQuery({
    queryKey: ['suggestions', key, step],
    queryFn: () => data(client.GET('/api/mirrors/{key}/draft/suggestions', { params: { path: { key } } })),
    placeholderData: keepPreviousData,
    enabled: !useIsEditing(key),
  });

/**
 * Edits the draft. What is on the screen changes at once, so that the next edit begins where this one ended; the server keeps
 * them one after another, and what it made of them is read when the last is kept.
 */
export function useEditDraft(key: string) {
  const cache = useQueryClient();
  const mutationKey = ['edit draft', key];
  const kept = useMutation({
    mutationKey,
    scope: { id: `draft ${key}` },
    mutationFn: (body: DraftAsked) =>
      client.PUT('/api/mirrors/{key}/draft', { params: { path: { key } }, body: body as DraftSent }),
    onSettled: () =>
      cache.isMutating({ mutationKey }) > 1
        ? undefined
        : cache.invalidateQueries({
            predicate: (q) => ['draft', 'suggestions', 'tried record'].includes(String(q.queryKey[0])),
          }),
  });
  const edit = (what: string, fields: FieldForm[], settings?: DraftSettings) => {
    void cache.cancelQueries({ queryKey: draftKey(key) });
    const step = Math.max(
      0,
      ...cache.getQueriesData<DraftPage>({ queryKey: draftKey(key) }).map(([, page]) => page?.step ?? 0),
    );
    cache.setQueriesData<DraftPage>(
      { queryKey: draftKey(key) },
      (page) => page && edited(page, what, fields, settings),
    );
    kept.mutate({ step, what, fields, settings: settings ?? null });
  };
  return { edit, error: kept.error };
}

export function useMoveDraft(key: string) {
  const cache = useQueryClient();
  return useMutation({
    scope: { id: `draft ${key}` },
    mutationFn: (what: 'undo' | 'redo' | 'discard') => {
      const params = { params: { path: { key } } };
      return what === 'undo'
        ? client.POST('/api/mirrors/{key}/draft/undo', params)
        : what === 'redo'
          ? client.POST('/api/mirrors/{key}/draft/redo', params)
          : client.DELETE('/api/mirrors/{key}/draft', params);
    },
    onSettled: () => cache.invalidateQueries(),
  });
}

/** What becomes of real values in a cell as it is typed. */
export const useTried = (key: string, side: number, type: string, cell: CellForm | null) =>
  useQuery({
    queryKey: ['tried', key, side, type, cell],
    queryFn: () =>
      data(
        client.POST('/api/mirrors/{key}/draft/try', { params: { path: { key } }, body: { side, type, cell: cell! } }),
      ),
    enabled: cell !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What a formula over agreed fields gives for the sample record; nothing is asked for an empty one. */
export const useWorkedOut = (key: string, field: string, type: string, formula: string, sample: number, find: string) =>
  useQuery({
    queryKey: ['worked out', key, field, type, formula, sample, find],
    queryFn: () =>
      data(
        client.POST('/api/mirrors/{key}/draft/worked-out', {
          params: { path: { key } },
          body: { field, type, formula, sample, find: find || null },
        }),
      ),
    enabled: formula !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export function useLearn(key: string) {
  return useMutation({
    mutationFn: (body: { side: number; path: string; examples: LearnExample[] }) =>
      data(client.POST('/api/mirrors/{key}/draft/learn', { params: { path: { key } }, body })),
  });
}

export function useMarkSeen(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => client.POST('/api/systems/{key}/changes/seen', { params: { path: { key } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useDescribe() {
  return useMutation({
    mutationFn: (body: ConnectionAsked) => data(client.POST('/api/systems/describe', { body })),
  });
}

/** Keeps a connection, new or changed, and gives the system's key. */
export function useKeepConnection() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: ConnectionAsked) => {
      if (body.key === null) return (await data(client.POST('/api/systems', { body }))).system;
      await client.PUT('/api/systems/{key}', { params: { path: { key: body.key } }, body });
      return body.key;
    },
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useRemoveSystem(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => client.DELETE('/api/systems/{key}', { params: { path: { key } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useStartRun(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (query: { rehearse: boolean; draft?: boolean; sample?: number; find?: string }) =>
      data(client.POST('/api/mirrors/{key}/runs', { params: { path: { key }, query } })),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useStopRun() {
  return useMutation({
    mutationFn: (id: number) => client.POST('/api/runs/{id}/stop', { params: { path: { id } } }),
  });
}

/** Makes a mirror live again, or pauses it. */
export function useMirrorState(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (state: 'live' | 'paused') =>
      client.PUT('/api/mirrors/{key}/state', { params: { path: { key } }, body: { state } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Which records a scope covers, of those that there are; nothing is asked for none. */
export const useScope = (
  key: string,
  side: number,
  asked: { formula: string | null; conditions: ScopeRows | null } | null,
) =>
  useQuery({
    queryKey: ['scope', key, side, asked],
    queryFn: () =>
      data(client.POST('/api/mirrors/{key}/draft/scope', { params: { path: { key } }, body: { side, ...asked! } })),
    enabled: asked !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** A timing in words, with what is wrong with it and its next times. */
export const useTimingTried = (key: string, timing: MirrorTiming) =>
  useQuery({
    queryKey: ['timing', key, timing],
    queryFn: () => data(client.POST('/api/mirrors/{key}/draft/timing', { params: { path: { key } }, body: timing })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const useTimeZones = () =>
  useQuery({ queryKey: ['time zones'], queryFn: () => data(client.GET('/api/time-zones')), staleTime: Infinity });

export const useVersions = (key: string) =>
  useQuery({
    queryKey: ['versions', key],
    queryFn: () => data(client.GET('/api/mirrors/{key}/versions', { params: { path: { key } } })),
  });

/** What is otherwise in one version than in another; the draft where none is given. */
export const useComparison = (key: string, from: number, to: number | null) =>
  useQuery({
    queryKey: ['comparison', key, from, to],
    queryFn: () =>
      data(
        client.GET('/api/mirrors/{key}/compare', {
          params: { path: { key }, query: to === null ? { from } : { from, to } },
        }),
      ),
  });

export function usePublish(key: string) {
  const cache = useQueryClient();
  return useMutation({
    scope: { id: `draft ${key}` },
    mutationFn: (body: { comment: string; step: number }) =>
      client.POST('/api/mirrors/{key}/draft/publish', { params: { path: { key } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Makes the draft what a version was. */
export function useGoBack(key: string) {
  const cache = useQueryClient();
  return useMutation({
    scope: { id: `draft ${key}` },
    mutationFn: (version: number) =>
      client.POST('/api/mirrors/{key}/versions/{version}/back', { params: { path: { key, version } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useDecide(id: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Decision) => client.POST('/api/conflicts/{id}/decision', { params: { path: { id } }, body }),
    // Not waited for: the screen goes on from what was decided, not from what is read anew.
    onSettled: () => void cache.invalidateQueries(),
  });
}

/** The open conflicts like one that was decided, with what the same decision would make of each. */
export const useAlike = (id: number, take: string, side: number | null) =>
  useQuery({
    queryKey: ['alike', id, take, side],
    queryFn: () =>
      data(
        client.GET('/api/conflicts/{id}/alike', {
          params: { path: { id }, query: side === null ? { take } : { take, side } },
        }),
      ),
  });

export function useDecideAlike() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: DecideAlike) => data(client.POST('/api/conflicts/alike', { body })),
    // Not waited for: the screen goes on from what was decided, not from what is read anew.
    onSettled: () => void cache.invalidateQueries(),
  });
}

/** Takes decisions back, one after the other; what was left as it is comes back in sentences. */
export function useUndoDecisions() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (ids: number[]) => {
      const left: string[] = [];
      for (const id of ids) {
        left.push(...(await data(client.POST('/api/conflicts/{id}/undo', { params: { path: { id } } }))).left);
      }
      return left;
    },
    // Not waited for: the screen goes on from what was decided, not from what is read anew.
    onSettled: () => void cache.invalidateQueries(),
  });
}

/** The rules that could settle a conflict's field, and how one of them would have decided the past ones. */
export const useRule = (id: number, by: number) =>
  useQuery({
    queryKey: ['rule', id, by],
    queryFn: () => data(client.GET('/api/conflicts/{id}/rule', { params: { path: { id }, query: { by } } })),
    placeholderData: keepPreviousData,
  });

export function useSetRule(mirror: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: RuleAsked) =>
      client.POST('/api/mirrors/{key}/draft/rule', { params: { path: { key: mirror } }, body }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Lets held records be tried again by the next run. */
export function useReleaseTogether() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (holds: number[]) => data(client.POST('/api/held/release', { body: { holds } })),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Searches that somebody keeps: their own. */
export const useSavedViews = () => useQuery({ queryKey: ['views'], queryFn: () => data(client.GET('/api/views')) });
export const useKeepView = () =>
  useSettingsChange((body: { name: string; query: string }) => client.POST('/api/views', { body }));
export const useRemoveView = () =>
  useSettingsChange((id: number) => client.DELETE('/api/views/{id}', { params: { path: { id } } }));

/** Where a held value can be put right; asked when somebody wants to. */
export const useHold = (id: number) =>
  useQuery({
    queryKey: ['hold', id],
    queryFn: () => data(client.GET('/api/held/{id}', { params: { path: { id } } })),
    staleTime: Infinity,
  });

export const useCorrect = (id: number) =>
  useSettingsChange((body: { where: string; text: string }) =>
    data(client.POST('/api/held/{id}/correct', { params: { path: { id } }, body })),
  );

/** Tries again what a run set aside, and nothing else. */
export const useRunAgain = () =>
  useSettingsChange((id: number) => data(client.POST('/api/runs/{id}/again', { params: { path: { id } } })));

/** Makes the writes that a rehearsal showed, and no other. */
export const useRunAsRehearsed = () =>
  useSettingsChange((id: number) => data(client.POST('/api/runs/{id}/as-rehearsed', { params: { path: { id } } })));

/** Leaves held records out for good. */
export function useLeaveOut() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { holds: number[]; why: string }) => data(client.POST('/api/held/leave-out', { body })),
    onSettled: () => cache.invalidateQueries(),
  });
}

export function useTakeIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => client.POST('/api/held/left-out/{id}/take-in', { params: { path: { id } } }),
    onSettled: () => cache.invalidateQueries(),
  });
}

/** Hears from the server that something happened, and reads again what is on the screen: at most twice a second. */
export function useLiveChanges(signedIn: boolean) {
  const cache = useQueryClient();
  useEffect(() => {
    if (!signedIn) return;
    const source = new EventSource('/api/changes');
    let due: ReturnType<typeof setTimeout> | null = null;
    let waiting: ReturnType<typeof setTimeout> | null = null;
    let everything = false;
    // What was being read for the first time when something happened: that is not begun again, and may be told what was true before.
    const early = new Set<Query>();
    source.addEventListener('change', (event) => {
      everything ||= event.data !== 'run';
      due ??= setTimeout(readAgain, 500);
    });
    const readAgain = () => {
      const progress = ['runs', 'run', 'today'];
      const isDue = (q: Query) =>
        everything ? q.queryKey[0] !== 'session' : progress.includes(q.queryKey[0] as string);
      for (const q of cache.getQueryCache().findAll({ predicate: isDue, fetchStatus: 'fetching' }))
        if (q.state.data === undefined) early.add(q);
      void cache.invalidateQueries({ predicate: isDue });
      everything = false;
      due = null;
      if (early.size > 0) waiting ??= setTimeout(readEarly, 500);
    };
    const readEarly = () => {
      waiting = null;
      for (const q of [...early])
        if (q.state.fetchStatus !== 'fetching') {
          early.delete(q);
          void cache.invalidateQueries({ queryKey: q.queryKey, exact: true });
        }
      if (early.size > 0) waiting = setTimeout(readEarly, 500);
    };
    return () => {
      source.close();
      if (due) clearTimeout(due);
      if (waiting) clearTimeout(waiting);
    };
  }, [cache, signedIn]);
}
