/** One key and what it does. `code` is matched against KeyboardEvent.key, in lower case. */
export interface Shortcut {
  keys: string[];
  /** As shown on the sheet. */
  shown: string;
  what: string;
  group: 'Frames' | 'Picture' | 'Marks' | 'Everything';
}

export const SHORTCUTS = {
  back: { keys: ['arrowleft'], shown: '←', what: 'One frame back', group: 'Frames' },
  forth: { keys: ['arrowright'], shown: '→', what: 'One frame on', group: 'Frames' },
  back10: { keys: ['shift+arrowleft'], shown: 'Shift ←', what: 'Ten frames back', group: 'Frames' },
  forth10: { keys: ['shift+arrowright'], shown: 'Shift →', what: 'Ten frames on', group: 'Frames' },
  first: { keys: ['home'], shown: 'Home', what: 'First frame of the shot', group: 'Frames' },
  last: { keys: ['end'], shown: 'End', what: 'Last frame of the shot', group: 'Frames' },
  keyBefore: { keys: ['pageup'], shown: 'Page up', what: 'Key before', group: 'Frames' },
  keyAfter: { keys: ['pagedown'], shown: 'Page down', what: 'Next key', group: 'Frames' },
  spanFrom: { keys: ['y'], shown: 'Y', what: 'Choose frames: from here', group: 'Frames' },
  spanTo: { keys: ['u'], shown: 'U', what: 'Choose frames: to here', group: 'Frames' },
  play: { keys: [' '], shown: 'Space', what: 'Play or stop', group: 'Frames' },
  loop: { keys: ['o'], shown: 'O', what: 'Play over and over, or once', group: 'Frames' },
  speed: { keys: ['v'], shown: 'V', what: 'Play slower, or at full speed again', group: 'Frames' },
  original: { keys: ['1'], shown: '1', what: 'Original', group: 'Picture' },
  matte: { keys: ['2'], shown: '2', what: 'Matte', group: 'Picture' },
  filled: { keys: ['3'], shown: '3', what: 'Result', group: 'Picture' },
  wipe: { keys: ['4'], shown: '4', what: 'Wipe between two', group: 'Picture' },
  difference: { keys: ['5'], shown: '5', what: 'Difference, amplified', group: 'Picture' },
  reveal: { keys: ['6'], shown: '6', what: 'What was seen when', group: 'Picture' },
  clean: { keys: ['0'], shown: '0', what: 'Full screen, nothing over the picture', group: 'Picture' },
  whole: { keys: ['w'], shown: 'W', what: 'The whole picture', group: 'Picture' },
  exact: { keys: ['x'], shown: 'X', what: 'One pixel on one pixel', group: 'Picture' },
  nearer: { keys: ['+', '=', 'shift++'], shown: '+', what: 'Nearer', group: 'Picture' },
  farther: { keys: ['-'], shown: '−', what: 'Farther', group: 'Picture' },
  pick: { keys: ['q'], shown: 'Q', what: 'Take hold of shapes', group: 'Marks' },
  path: { keys: ['d'], shown: 'D', what: 'Draw an outline', group: 'Marks' },
  ellipse: { keys: ['e'], shown: 'E', what: 'Draw an ellipse', group: 'Marks' },
  rectangle: { keys: ['r'], shown: 'R', what: 'Draw a box', group: 'Marks' },
  point: { keys: ['a'], shown: 'A', what: 'Point at a thing: its outline is found', group: 'Marks' },
  paint: { keys: ['b'], shown: 'B', what: 'Paint on the outline, or erase with Alt', group: 'Marks' },
  region: { keys: ['g'], shown: 'G', what: 'Draw a region to follow', group: 'Marks' },
  steer: { keys: ['s'], shown: 'S', what: 'Steer the region: hold it while stepping or playing', group: 'Marks' },
  follow: { keys: ['f'], shown: 'F', what: 'Follow the chosen shape, or follow on', group: 'Marks' },
  weak: {
    keys: ['n'],
    shown: 'N',
    what: 'Next frame where something sticks out, or an outline or a track is lost',
    group: 'Marks',
  },
  larger: { keys: [']'], shown: ']', what: 'Region larger', group: 'Marks' },
  smaller: { keys: ['['], shown: '[', what: 'Region smaller', group: 'Marks' },
  turnLeft: { keys: [','], shown: ',', what: 'Turn the region left', group: 'Marks' },
  turnRight: { keys: ['.'], shown: '.', what: 'Turn the region right', group: 'Marks' },
  close: { keys: ['enter'], shown: 'Enter', what: 'Close the outline', group: 'Marks' },
  abandon: { keys: ['escape'], shown: 'Esc', what: 'Leave off', group: 'Marks' },
  way: { keys: ['h'], shown: 'H', what: 'Show or hide its neighbouring keys and its way', group: 'Marks' },
  another: { keys: ['c'], shown: 'C', what: 'Another shape like the chosen one, at the pointer', group: 'Marks' },
  variant: { keys: ['i'], shown: 'I', what: 'Use the other variant of the chosen shape', group: 'Marks' },
  setKey: { keys: ['k'], shown: 'K', what: 'Set a key here', group: 'Marks' },
  remove: {
    keys: ['delete', 'backspace'],
    shown: 'Del',
    what: 'Delete the chosen point, key or shape',
    group: 'Marks',
  },
  copyKeys: { keys: ['ctrl+c'], shown: 'Ctrl C', what: 'Copy the chosen keys', group: 'Marks' },
  pasteKeys: { keys: ['ctrl+v'], shown: 'Ctrl V', what: 'Put copied keys here', group: 'Marks' },
  nudge: { keys: [], shown: 'Ctrl ← → ↑ ↓', what: 'Move by 1 px, with Shift by 10', group: 'Marks' },
  undo: { keys: ['ctrl+z'], shown: 'Ctrl Z', what: 'Undo', group: 'Everything' },
  redo: { keys: ['ctrl+shift+z', 'ctrl+y'], shown: 'Ctrl Shift Z', what: 'Redo', group: 'Everything' },
  help: { keys: ['?', 'shift+?'], shown: '?', what: 'This sheet', group: 'Everything' },
} as const satisfies Record<string, Shortcut>;

export type ShortcutName = keyof typeof SHORTCUTS;

/** The shortcut that a key press means; none while a person types into a field. */
export function shortcutOf(event: KeyboardEvent): ShortcutName | undefined {
  const target = event.target as HTMLElement | null;
  if (target?.closest?.('input, textarea, select, [contenteditable], [role=dialog]')) return undefined;
  // A focused button keeps the keys that press it.
  if ([' ', 'Enter'].includes(event.key) && target?.closest?.('button, a, summary')) return undefined;
  if (event.altKey) return undefined;
  const parts = [event.ctrlKey || event.metaKey ? 'ctrl' : '', event.shiftKey ? 'shift' : '', event.key.toLowerCase()];
  const pressed = parts.filter(Boolean).join('+');
  return (Object.keys(SHORTCUTS) as ShortcutName[]).find((name) =>
    (SHORTCUTS[name].keys as readonly string[]).includes(pressed),
  );
}
