import { jest } from '@jest/globals';
import { createPinia, disposePinia, setActivePinia, type Pinia } from 'pinia';
import type { ServerEvent } from '../../contract/events.ts';
import type { ShotState } from '../../contract/shots.ts';
import { useDocument } from '../document/documentStore.ts';

let pinia: Pinia | undefined;
let listening: ((message: { data: string }) => void) | undefined;

class QuietEvents {
  set onmessage(listen: typeof listening) {
    listening = listen;
  }
  addEventListener(): void {
    // The connection does not break.
  }
}

/** Tells the page of a change on the server, as its events do. */
export const tell = (event: ServerEvent): void => listening?.({ data: JSON.stringify(event) });

/** New stores, and a server with one shot that has the frames 0..last and no marks. */
export function startQuietly(last: number): void {
  (globalThis as { EventSource?: unknown }).EventSource = QuietEvents;
  const state: ShotState = {
    shot: { id: 's', clipId: 'c', name: 'S', first: 0, last, handleBefore: 0, handleAfter: 0, createdAt: '' },
    document: { removals: {}, tracks: {} },
    revision: 0,
    undo: null,
    redo: null,
  };
  // The stores of the test before would go on listening.
  if (pinia) disposePinia(pinia);
  setActivePinia((pinia = createPinia()));
  globalThis.fetch = jest.fn(() => Promise.resolve(new Response(JSON.stringify(state)))) as unknown as typeof fetch;
}

/** The document of that shot; from now on the server answers nothing any more. */
export async function openQuietly(): Promise<ReturnType<typeof useDocument>> {
  const doc = useDocument();
  await doc.open('s');
  globalThis.fetch = jest.fn(() => new Promise(() => undefined)) as unknown as typeof fetch;
  return doc;
}

export interface Asked {
  method: string;
  /** Without the API's own part. */
  path: string;
  body: unknown;
}

/** A refusal, as the server sends it. */
export const refusal = (message: string): Response => Response.json({ code: 'refused', message }, { status: 409 });

/**
 * Lets the server take edits, and answer other requests as a test says; what it leaves open is not answered.
 *
 * @param answer - What is answered, or a refusal; undefined if nothing is.
 * @returns What was asked for, edits left out; it grows.
 */
export function answerQuietly(answer: (asked: Asked) => unknown): Asked[] {
  const doc = useDocument();
  const { shot } = doc;
  const all: Asked[] = [];
  let revision = 0;
  globalThis.fetch = jest.fn(async (input: unknown, init?: RequestInit) => {
    const path = String(input).replace('/api', '');
    if (path.endsWith('/edits')) {
      return Response.json({ shot, document: doc.document, revision: ++revision, undo: 'x', redo: null });
    }
    const body: unknown = init?.body === undefined ? undefined : JSON.parse(init.body as string);
    const asked = { method: init?.method ?? 'GET', path, body };
    all.push(asked);
    const found = await answer(asked);
    if (found === undefined) return new Promise(() => undefined);
    return found instanceof Response ? found : Response.json(found);
  }) as unknown as typeof fetch;
  return all;
}
