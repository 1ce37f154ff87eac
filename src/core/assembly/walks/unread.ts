/** Records of a content that could not be read, and stand empty in what is walked through: they are told of once, as what they are. */
export class Unread {
  private readonly runs: { from: number; to: number }[] = [];

  /** @param count of records from `from` on, in the order in which they are read. */
  add(from: number, count: number): void {
    const last = this.runs.at(-1);
    if (last?.to === from) last.to = from + count;
    else this.runs.push({ from, to: from + count });
  }

  /** Asked in order: what lies behind is forgotten. */
  has(record: number): boolean {
    while (this.runs[0] && this.runs[0].to <= record) this.runs.shift();
    return this.runs[0] !== undefined && record >= this.runs[0].from;
  }
}
