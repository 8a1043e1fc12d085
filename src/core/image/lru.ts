/** A fixed number of slots that are filled on demand; the one unused for longest is filled anew. */
export class SlotCache<Slot> {
  private readonly held = new Map<number, Slot>();
  private readonly free: Slot[];

  constructor(
    slots: Slot[],
    private readonly fill: (key: number, slot: Slot) => void,
  ) {
    this.free = [...slots];
  }

  get(key: number): Slot {
    const found = this.held.get(key);
    if (found !== undefined) {
      this.held.delete(key);
      this.held.set(key, found);
      return found;
    }
    const slot = this.free.pop() ?? this.evict();
    try {
      this.fill(key, slot);
    } catch (error) {
      this.free.push(slot);
      throw error;
    }
    this.held.set(key, slot);
    return slot;
  }

  /** Lets every slot be filled anew. */
  forget(): void {
    this.free.push(...this.held.values());
    this.held.clear();
  }

  private evict(): Slot {
    const [oldest, slot] = this.held.entries().next().value!;
    this.held.delete(oldest);
    return slot;
  }
}
