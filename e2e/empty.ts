import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { test as base, expect } from "@playwright/test";

const root = path.resolve(import.meta.dirname, "..");
const page = readFileSync(path.join(root, "docs", "install.md"), "utf8");

/** A block of docs/install.md in a language: the page is walked as it stands. */
function block(language: string): string {
  const found = new RegExp(`\`\`\`${language}\\n([^]*?)\`\`\``).exec(page)?.[1];
  if (!found) throw new Error(`docs/install.md has no block in ${language}`);
  return found;
}

/**
 * Runs `switchback serve` on an empty database of its own, made as docs/install.md says, and
 * reads the link that it prints. Ports and paths are those of the tests.
 */
export const test = base.extend<{ link: string }>({
  // biome-ignore lint/correctness/noEmptyPattern: Playwright wants the pattern
  link: async ({}, use) => {
    const home = path.join(root, ".run", `e2e-empty${process.env.E2E_SHARD ?? ""}`);
    rmSync(home, { recursive: true, force: true });
    mkdirSync(path.join(home, "certificates"), { recursive: true });
    writeFileSync(
      path.join(home, "switchback.yaml"),
      block("yaml")
        .replace(":8480", ":8590")
        .replace(":9480", ":9590")
        .replaceAll(/\/etc\/switchback|\/var\/lib\/switchback/g, home),
    );
    const script = `
      . bin/lib.sh
      need_debian mariadbd mariadb-server
      build_web && build_binary
      start_mariadb "$HOME_OF_TEST/db" 33680
      trap 'stop_mariadb "$HOME_OF_TEST/db"' EXIT
      sql "$HOME_OF_TEST/db" "$SQL"
      cd "$HOME_OF_TEST" && (${block("sh").trim()})
      sed -i "s/:3306/:$DB_PORT/" switchback.yaml
      trap : INT
      "$RUN/switchback" serve --config switchback.yaml`;
    const serve = spawn("bash", ["-c", script], {
      cwd: root,
      env: { ...process.env, HOME_OF_TEST: home, SQL: block("sql") },
      detached: true,
    });
    let printed = "";
    const ended = new Promise<void>((done) => serve.on("close", () => done()));
    const ready = new Promise<string>((found, failed) => {
      const read = (text: Buffer) => {
        printed += text;
        const url = /(http:\S+first-start#\S+)/.exec(printed)?.[1];
        if (url && printed.includes("msg=ready")) found(url);
      };
      serve.stdout.on("data", read);
      serve.stderr.on("data", read);
      ended.then(() => failed(new Error(`switchback serve ended:\n${printed}`)));
    });
    await use(await ready);
    if (serve.pid) process.kill(-serve.pid, "SIGINT");
    await ended;
  },
});

export { expect };
