import type { EngineEvent } from '@/contract';

const KEPT = 2000;

/**
 * Events for the pages. Each has a number; a page that lost its connection asks for those after the last it has seen,
 * and is told to load everything anew where they are gone or the engine has been started since.
 */
export class Hub {
  private readonly kept: { readonly id: number; readonly event: EngineEvent }[] = [];
  private readonly listeners = new Set<(id: number, event: EngineEvent) => void>();
  private next = 1;

  constructor(readonly boot: string) {}

  get revision(): number {
    return this.next - 1;
  }

  send(event: EngineEvent): void {
    const id = this.next++;
    this.kept.push({ id, event });
    if (this.kept.length > KEPT) this.kept.shift();
    for (const listener of this.listeners) listener(id, event);
  }

  /** Events after `id`, or null where some of them are no longer kept. */
  since(id: number): readonly { readonly id: number; readonly event: EngineEvent }[] | null {
    if (id > this.revision || (this.kept[0] && this.kept[0].id > id + 1)) return null;
    return this.kept.filter((k) => k.id > id);
  }

  /** @returns a function that ends the listening. */
  listen(listener: (id: number, event: EngineEvent) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }
}
