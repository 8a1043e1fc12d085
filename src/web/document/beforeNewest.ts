import { shallowRef, type ShallowRef } from 'vue';
import type { ShotDocument } from '../../contract/document.ts';
import type { EditBody, ShotState } from '../../contract/shots.ts';

/** What was there before the newest edit of this page that the server has: a step that takes that back is then seen at once. */
export function beforeNewest(confirmed: Readonly<ShallowRef<ShotState | undefined>>) {
  const kept = shallowRef<{ revision: number; document: ShotDocument }>();

  /** It, as long as nothing else has happened since. */
  const document = (): ShotDocument | undefined =>
    kept.value && kept.value.revision === confirmed.value?.revision ? kept.value.document : undefined;

  /** Keeps what is there before an edit makes a revision of it; one undo takes back what the edit completes, too. */
  function keep({ completes }: EditBody, revision: number): void {
    const now = (completes === undefined ? undefined : document()) ?? confirmed.value?.document;
    if (now) kept.value = { revision, document: now };
  }

  return { document, keep, forget: (): void => void (kept.value = undefined) };
}
