/** The source files of the application by their names, as text: for tests that hold rules over all of them. */
export function sources(): { name: string; text: string }[] {
  const found = import.meta.glob(["./**/*.{ts,tsx}", "!./**/*.test.*", "!./**/*.gen.ts", "!./sources.ts"], {
    query: "?raw",
    import: "default",
    eager: true,
  }) as Record<string, string>;
  return Object.entries(found).map(([name, text]) => ({ name: `src/${name.slice(2)}`, text }));
}
