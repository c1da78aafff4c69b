/** Fields already fetched, the least used dropped first, so that playing a long run does not grow. */
import type { FieldData } from "../client/views";

export class FrameStore {
  private kept = new Map<string, FieldData>();
  private coming = new Map<string, Promise<FieldData | null>>();
  bytes = 0;

  constructor(
    private fetch: (key: string) => Promise<FieldData | null>,
    private most = 256e6,
  ) {}

  /** What is here already; it counts as used. */
  get(key: string): FieldData | undefined {
    const found = this.kept.get(key);
    if (found) {
      this.kept.delete(key);
      this.kept.set(key, found);
    }
    return found;
  }

  /** What is here, or what the server says; asked once however many want it. */
  load(key: string): Promise<FieldData | null> {
    const here = this.get(key);
    if (here) return Promise.resolve(here);
    let asked = this.coming.get(key);
    if (!asked) {
      asked = this.fetch(key)
        .then((field) => {
          if (field) this.keep(key, field);
          return field;
        })
        .finally(() => this.coming.delete(key));
      this.coming.set(key, asked);
    }
    return asked;
  }

  /** Forget what a test says of its key. */
  drop(test: (key: string) => boolean): void {
    for (const [key, field] of this.kept)
      if (test(key)) {
        this.kept.delete(key);
        this.bytes -= field.values.byteLength;
      }
  }

  private keep(key: string, field: FieldData): void {
    this.kept.set(key, field);
    this.bytes += field.values.byteLength;
    for (const [old, data] of this.kept) {
      if (this.bytes <= this.most || old === key) break;
      this.kept.delete(old);
      this.bytes -= data.values.byteLength;
    }
  }
}
