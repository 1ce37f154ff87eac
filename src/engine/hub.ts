import type { EngineEvent } from '@/contract';

const KEPT = 2000;
/** Of their text, all together: a few long ones must not fill the memory. */
const KEPT_CHARACTERS = 4_000_000;

/**
 * Events for the pages. Each has a number; a page that lost its connection asks for those after the last it has seen,
 * and is told to load everything anew where they are gone or the engine has been started since.
 */
export class Hub {
  private readonly kept: { readonly id: number; readonly text: string }[] = [];
  private characters = 0;
  private readonly listeners = new Set<(id: number, text: string) => void>();
  private next = 1;

  constructor(readonly boot: string) {}

  get revision(): number {
    return this.next - 1;
  }

  send(event: EngineEvent): void {
    const id = this.next++;
    // Written out once, however many listen.
    const text = JSON.stringify(event);
    this.characters += text.length;
    this.kept.push({ id, text });
    while (this.kept.length > KEPT || this.characters > KEPT_CHARACTERS)
      this.characters -= this.kept.shift()?.text.length ?? this.characters;
    for (const listener of this.listeners) listener(id, text);
  }

  /** Events after `id`, or null where some of them are no longer kept. */
  since(id: number): readonly { readonly id: number; readonly text: string }[] | null {
    const oldest = this.kept[0]?.id ?? this.next;
    if (id > this.revision || oldest > id + 1) return null;
    return this.kept.filter((k) => k.id > id);
  }

  /** @returns a function that ends the listening. */
  listen(listener: (id: number, text: string) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}
