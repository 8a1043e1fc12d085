import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import type { PlateBody, PlateView } from '../../../contract/plates.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import { useDocument } from '../../document/documentStore.ts';

/** Plates of the shot at hand that are being made, or could not be; finished ones are in the document. */
export const usePlates = defineStore('plates', () => {
  const doc = useDocument();
  const making = shallowRef<PlateView[]>([]);
  let asked = 0;

  async function load(): Promise<void> {
    const mine = ++asked;
    const { shotId } = doc;
    const list = await api.plates(shotId).catch(() => undefined);
    if (list && mine === asked && shotId === doc.shotId) making.value = list;
  }

  async function open(): Promise<void> {
    making.value = [];
    await load();
  }

  onServerEvent((event) => {
    if (!doc.shotId || (event && event.shotId !== doc.shotId)) return;
    if (!event || event.kind === 'plate') void load();
  });

  async function build(body: PlateBody): Promise<void> {
    // It is built from the marks that the server has.
    await doc.whenSent();
    await api.buildPlate(doc.shotId, body);
    await load();
  }

  const dismiss = (id: string): Promise<unknown> => api.dismissPlate(id).then(load);
  const makingFor = (removalId: string): PlateView[] => making.value.filter((p) => p.removalId === removalId);

  return { open, build, dismiss, makingFor };
});
