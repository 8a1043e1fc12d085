import { createStore, del, get, set, type UseStore } from 'idb-keyval';
import type { Wish } from './wishes.ts';

let opened: UseStore | undefined;
const store = (): UseStore => (opened ??= createStore('mnestra', 'pending'));

/** Wishes that the server has not confirmed yet, kept in the browser's database until it has. */
export async function loadPending(shotId: string): Promise<Wish[]> {
  try {
    return (await get<Wish[]>(shotId, store())) ?? [];
  } catch {
    return [];
  }
}

/** A browser that keeps nothing (a private window) still works; then only this page holds what is unsent. */
export async function savePending(shotId: string, wishes: readonly Wish[]): Promise<void> {
  const plain = JSON.parse(JSON.stringify(wishes)) as Wish[];
  try {
    await (plain.length > 0 ? set(shotId, plain, store()) : del(shotId, store()));
  } catch {
    // See above.
  }
}
