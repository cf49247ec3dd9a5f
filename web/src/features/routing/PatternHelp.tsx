const lines: [code: string, means: string][] = [
  ["x", "any digit 0 to 9"],
  ["[2-57]", "one of 2, 3, 4, 5, 7"],
  [".", "zero or more of the symbol before it: 9xx. matches 90, 901, 9012 …"],
  ["|", "either pattern: 999|112"],
  ["T", "the digit timer: complete only after a pause"],
  ["* # +", "themselves"],
];

/** How a dial pattern is written, at hand where one is entered. */
export function PatternHelp() {
  return (
    <details className="text-dense">
      <summary className="text-soft">Pattern syntax (RFC 3435, 2.1.5)</summary>
      <dl className="mt-1 grid grid-cols-[5rem_minmax(0,1fr)] gap-x-3">
        {lines.map(([code, means]) => (
          <div key={code} className="contents">
            <dt className="font-mono">{code}</dt>
            <dd className="text-soft">{means}</dd>
          </div>
        ))}
      </dl>
    </details>
  );
}
