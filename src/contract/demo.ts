/** A clip of the demo footage that is being made. */
export interface DemoComing {
  name: string;
  /** How much of it is made, 0..1. */
  done: number;
  /** How many more are made after it. */
  after: number;
}

export interface DemoState {
  coming: DemoComing | null;
}
