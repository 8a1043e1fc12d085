import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { ShotView } from '../../../contract/shots.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';

/** Shots as the server knows them, kept true by its events. */
export const useShots = defineStore('shots', () => {
  const shots = ref<ShotView[]>([]);
  let asked = 0;

  async function refresh(): Promise<void> {
    const mine = ++asked;
    const list = await api.shots().catch(() => undefined);
    if (list && mine === asked) shots.value = list;
  }

  onServerEvent((event) => {
    if (!event || event.kind === 'shot') void refresh();
  });
  void refresh();

  return {
    shots,
    of: (clipId: string): ShotView[] => shots.value.filter((s) => s.clipId === clipId),
    async remove(id: string): Promise<void> {
      await api.removeShot(id);
      await refresh();
    },
    async restore(id: string): Promise<void> {
      await api.restoreShot(id);
      await refresh();
    },
  };
});
