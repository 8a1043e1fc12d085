/** Events that the server sends to every page. Each says what changed, not how: the page asks for the rest. */
export interface ServerEvent {
  kind: 'clip' | 'shot' | 'take' | 'export' | 'reveal' | 'follow' | 'search' | 'matte' | 'plate';
  id: string;
  /** The shot that it belongs to; absent for clips. */
  shotId?: string;
}
