import type { Page } from "@playwright/test";

/** The 95th percentile of some times, in milliseconds. */
export const p95 = (times: number[]) => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)] ?? 0;

export async function timed(times: number[], work: () => Promise<unknown>) {
  const start = performance.now();
  await work();
  times.push(performance.now() - start);
}

/** How long a fixed piece of work takes in the page, in milliseconds: what the other figures of a run are compared by. */
export const yardstick = (page: Page) =>
  page.evaluate(() => {
    const start = performance.now();
    let x = 0;
    for (let i = 0; i < 5e7; i++) x = (x * 31 + i) | 0;
    return performance.now() - start + 0 * x;
  });

/** Figures of a run, each with what it is of. */
export class Figures {
  private rows: [string, string][] = [];
  private measure = 0;

  /** Gives the median of the run's yardsticks; times that follow are said as shares of it too. */
  yardstick(times: number[]) {
    this.measure = [...times].sort((a, b) => a - b)[times.length >> 1] ?? 0;
    this.say("yardstick: 50 million steps of one loop in the page", `${this.measure.toFixed(0)} ms`);
  }

  say(what: string, is: string) {
    this.rows.push([what, is]);
  }

  times(what: string, times: number[]) {
    const share = this.measure > 0 ? `, ${(p95(times) / this.measure).toFixed(2)} of the yardstick` : "";
    this.say(what, `${p95(times).toFixed(0)} ms at the 95th percentile of ${times.length}, ${Math.max(...times).toFixed(0)} ms at most${share}`);
  }

  print() {
    console.log(`\n${this.rows.map(([what, is]) => `${what.padEnd(70)} ${is}`).join("\n")}\n`);
  }
}
