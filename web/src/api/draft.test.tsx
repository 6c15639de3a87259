import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, renderHook, waitFor } from '@testing-library/react';
import type { ReactNode } from 'react';
import { beforeEach, expect, test, vi } from 'vitest';
import { newField } from '../screens/mirror/bench/edits';
import type { DraftPage } from './client';

/** What the server holds, and the edit that it has not kept yet. */
const server = vi.hoisted(() => ({ step: 0, fields: [] as string[], keep: [] as (() => void)[], reads: 0 }));
vi.mock('./client', async (original) => ({
  ...(await original<typeof import('./client')>()),
  client: {
    GET: () => {
      server.reads++;
      return Promise.resolve({ data: pageOf(server.step, server.fields) });
    },
    PUT: (_: string, { body }: { body: { fields: { name: string }[] } }) =>
      new Promise<object>((done) =>
        server.keep.push(() => {
          server.step++;
          server.fields = body.fields.map((f) => f.name);
          done({});
        }),
      ),
  },
  data: async (answer: Promise<{ data: unknown }>) => (await answer).data,
}));

const pageOf = (step: number, names: string[]) =>
  ({
    step,
    last: step,
    fields: names.map((n) => newField(n, 'text', [])),
    settings: {},
    samples: [],
    agreed: [],
    inPlainWords: [],
    findings: [],
    isReading: false,
  }) as unknown as DraftPage;
const names = (page: DraftPage | undefined) => page?.fields.map((f) => f.name);

beforeEach(() => Object.assign(server, { step: 0, fields: [], keep: [], reads: 0 }));

test('what is read again while an edit is on its way does not take the edit off the screen', async () => {
  const { useDraft, useEditDraft } = await import('./queries');
  const cache = new QueryClient();
  const { result } = renderHook(() => ({ draft: useDraft('m', 1, ''), ...useEditDraft('m') }), {
    wrapper: ({ children }: { children: ReactNode }) => (
      <QueryClientProvider client={cache}>{children}</QueryClientProvider>
    ),
  });
  await waitFor(() => expect(result.current.draft.data?.step).toBe(0));
  const reads = server.reads;
  act(() => result.current.edit('Add Town', [newField('Town', 'text', [])]));
  await waitFor(() => expect(names(result.current.draft.data)).toEqual(['Town']));

  // Something happened elsewhere, and everything on the screen is to be read again. The server has not kept the edit yet.
  await waitFor(() => expect(server.keep).toHaveLength(1));
  await act(async () => {
    await cache.invalidateQueries();
    await new Promise((on) => setTimeout(on, 50));
  });
  expect([result.current.draft.data?.step, names(result.current.draft.data)]).toEqual([1, ['Town']]);

  // The next edit begins where the first one ended, and when both are kept, what the server made of them is read.
  act(() => result.current.edit('Add Street', [...result.current.draft.data!.fields, newField('Street', 'text', [])]));
  await act(async () => {
    server.keep.shift()!();
    await vi.waitFor(() => expect(server.keep).toHaveLength(1));
    server.keep.shift()!();
  });
  await waitFor(() => expect(server.reads).toBeGreaterThan(reads));
  await waitFor(() => expect(result.current.draft.fetchStatus).toBe('idle'));
  expect([result.current.draft.data?.step, names(result.current.draft.data)]).toEqual([2, ['Town', 'Street']]);
});
