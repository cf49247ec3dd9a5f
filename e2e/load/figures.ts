/** The 95th percentile of some times, in milliseconds. */
export const p95 = (times: number[]) => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0;

export async function timed(times: number[], work: () => Promise<unknown>) {
  const start = performance.now();
  await work();
  times.push(performance.now() - start);
}

/** Figures of a run, each with what it is of. */
export class Figures {
  private rows: [string, string][] = [];

  say(what: string, is: string) {
    this.rows.push([what, is]);
  }

  times(what: string, times: number[]) {
    this.say(what, `${p95(times).toFixed(0)} ms at the 95th percentile of ${times.length}, ${Math.max(...times).toFixed(0)} ms at most`);
  }

  print() {
    console.log(`\n${this.rows.map(([what, is]) => `${what.padEnd(70)} ${is}`).join("\n")}\n`);
  }
}
