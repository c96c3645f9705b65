/** Questions that are being asked: each by one run at a time. */
export class Asked {
  private readonly runs = new Map<string, { words: string; ending: AbortController }>();

  /** Whether a question is being asked in these words. */
  has(question: string, words: string): boolean {
    return this.runs.get(question)?.words === words;
  }

  /** Begin a run, and end the one before it: its signal is aborted. */
  begin(question: string, words: string): AbortSignal {
    this.runs.get(question)?.ending.abort();
    const ending = new AbortController();
    this.runs.set(question, { words, ending });
    return ending.signal;
  }

  /** A run is over; nothing changes where another one has taken its place. */
  end(question: string, run: AbortSignal): void {
    if (this.runs.get(question)?.ending.signal === run) this.runs.delete(question);
  }
}
