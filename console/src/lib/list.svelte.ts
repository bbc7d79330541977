/** A list that grows page by page, and says while it loads or fails. */
import { sentenceOf } from "./sentence.ts";

export interface ListPage<Item> {
  readonly items: Item[];
  readonly next: string | null;
}

export class List<Item> {
  items: Item[] = $state([]);
  next: string | null = $state(null);
  loaded = $state(false);
  problem: string | null = $state(null);
  readonly #load: (cursor: string | undefined) => Promise<ListPage<Item>>;
  /** Counts beginnings, so that a late answer to an older question is dropped. */
  #generation = 0;

  constructor(load: (cursor: string | undefined) => Promise<ListPage<Item>>) {
    this.#load = load;
  }

  /** Loads from the top. */
  async begin(): Promise<void> {
    await this.#take(undefined);
  }

  /** Adds the following page below. */
  async more(): Promise<void> {
    if (this.next !== null) await this.#take(this.next);
  }

  async #take(cursor: string | undefined): Promise<void> {
    const generation = (this.#generation += 1);
    try {
      const { items, next } = await this.#load(cursor);
      if (generation !== this.#generation) return;
      this.items = cursor === undefined ? items : [...this.items, ...items];
      this.next = next;
      this.problem = null;
      this.loaded = true;
    } catch (error) {
      this.problem = sentenceOf(error);
    }
  }
}
