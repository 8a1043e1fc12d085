import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { ClipView } from '../../../contract/clips.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';

/** Clips as the server knows them, kept true by its events. */
export const useClips = defineStore('clips', () => {
  const clips = ref<ClipView[]>([]);
  const loaded = ref(false);
  let asked = 0;

  async function refresh(): Promise<void> {
    const mine = ++asked;
    const list = await api.clips().catch(() => undefined);
    // A later question's answer must not be overwritten by an earlier one's.
    if (!list || mine !== asked) return;
    clips.value = list;
    loaded.value = true;
  }

  onServerEvent(() => void refresh());
  void refresh();

  async function remove(id: string): Promise<void> {
    await api.removeClip(id);
    clips.value = clips.value.filter((c) => c.id !== id);
  }

  async function restore(id: string): Promise<void> {
    await api.restoreClip(id);
    await refresh();
  }

  return { clips, loaded, refresh, remove, restore };
});
