// Writes the words that the API's description has for the front end: words.mjs FROM TO
import { readFileSync, writeFileSync } from "node:fs";

const [from, to] = process.argv.slice(2);
const words = JSON.parse(readFileSync(from, "utf8"))["x-words"];
const lines = Object.entries(words).map(([name, value]) => `export const ${name} = ${JSON.stringify(value)} as const;\n`);
writeFileSync(to, `// Written by bin/types.\n${lines.join("")}`);
