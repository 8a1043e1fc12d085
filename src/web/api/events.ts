import { onScopeDispose, readonly, ref } from 'vue';
import type { ServerEvent } from '../../contract/events.ts';

const connected = ref(true);
const listeners = new Set<(event: ServerEvent | undefined) => void>();
let source: EventSource | undefined;

/**
 * Tells of every change on the server, as long as the store or component that asks is there; undefined = anything may
 * have changed (after a break), look at everything.
 */
export function onServerEvent(listener: (event: ServerEvent | undefined) => void): void {
  listeners.add(listener);
  source ??= open();
  onScopeDispose(() => listeners.delete(listener));
}

function open(): EventSource {
  const events = new EventSource('/api/events');
  const tell = (event: ServerEvent | undefined): void => listeners.forEach((l) => l(event));
  events.onmessage = ({ data }) => tell(JSON.parse(data as string) as ServerEvent);
  events.addEventListener('look', () => tell(undefined));
  events.onerror = () => (connected.value = false);
  events.onopen = () => {
    connected.value = true;
    tell(undefined);
  };
  return events;
}

export const useConnection = () => ({ connected: readonly(connected) });
