/** State in a word, a shape and a colour, never colour alone. */
export type Tone = "good" | "bad" | "warn" | "draft" | "soft" | "road";

interface Props {
  tone: Tone;
  word: string;
  title?: string;
  /** For what is longer than a word. */
  wrap?: boolean;
  /** What is well among much that is well: only its mark has a colour. */
  quiet?: boolean;
}

export function StateMark({ tone, word, title, wrap, quiet }: Props) {
  return (
    <span
      className={`inline-flex max-w-full items-baseline gap-2 ${wrap ? "" : "whitespace-nowrap"} ${quiet ? "text-soft" : text[tone]}`}
      title={title}
    >
      <svg
        viewBox="0 0 12 12"
        className={`size-3 shrink-0 self-center ${quiet ? text[tone] : ""}`}
        aria-hidden="true"
      >
        {shapes[tone]}
      </svg>
      <span className={wrap ? "" : "min-w-0 truncate"}>{word}</span>
    </span>
  );
}

const text: Record<Tone, string> = {
  good: "text-good",
  bad: "text-bad font-semibold",
  warn: "text-warn",
  draft: "text-draft",
  soft: "text-soft",
  road: "text-road",
};

const shapes: Record<Tone, React.ReactNode> = {
  good: <circle cx="6" cy="6" r="5" fill="currentColor" />,
  bad: <path d="M6 .5 11.8 11H.2Z" fill="currentColor" />,
  warn: <path d="M1 1.5h10L6 11Z" fill="currentColor" />,
  draft: <path d="M6 0 12 6 6 12 0 6Z" fill="currentColor" />,
  soft: <circle cx="6" cy="6" r="4.2" fill="none" stroke="currentColor" strokeWidth="1.6" />,
  road: <path d="M2 1.5 10.5 6 2 10.5Z" fill="currentColor" />,
};
