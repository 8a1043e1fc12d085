import { jest } from '@jest/globals';
import { createPinia, setActivePinia } from 'pinia';
import type { ShotState } from '../../contract/shots.ts';
import { useDocument } from '../document/documentStore.ts';

class NoEvents {
  addEventListener(): void {
    // Nothing is told.
  }
}

/** New stores, and a server with one shot that has the frames 0..last and no marks. */
export function startQuietly(last: number): void {
  (globalThis as { EventSource?: unknown }).EventSource = NoEvents;
  const state: ShotState = {
    shot: { id: 's', clipId: 'c', name: 'S', first: 0, last, handleBefore: 0, handleAfter: 0, createdAt: '' },
    document: { removals: {}, tracks: {} },
    revision: 0,
    undo: null,
    redo: null,
  };
  setActivePinia(createPinia());
  globalThis.fetch = jest.fn(() => Promise.resolve(new Response(JSON.stringify(state)))) as unknown as typeof fetch;
}

/** The document of that shot; from now on the server answers nothing any more. */
export async function openQuietly(): Promise<ReturnType<typeof useDocument>> {
  const doc = useDocument();
  await doc.open('s');
  globalThis.fetch = jest.fn(() => new Promise(() => undefined)) as unknown as typeof fetch;
  return doc;
}
