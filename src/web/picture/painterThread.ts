import { expose } from 'comlink';
import { Painter } from './painter.ts';

// The thread that draws: nothing but wiring.
expose(new Painter());
