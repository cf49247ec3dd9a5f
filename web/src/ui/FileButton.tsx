import { Upload } from "lucide-react";

interface Props {
  label: string;
  /** Which files, as the attribute accept has it. */
  accept: string;
  onChoose: (file: File) => void;
}

/** A button that lets a file be chosen; the same one may be chosen again once it was mended. */
export function FileButton({ label, accept, onChoose }: Props) {
  return (
    <label className="inline-flex h-8 cursor-pointer items-center gap-2 rounded-[3px] border border-edge bg-sheet px-3 focus-within:outline-2 focus-within:outline-focus hover:bg-road-wash">
      <Upload className="size-4" aria-hidden="true" /> {label}
      <input
        type="file"
        accept={accept}
        className="sr-only"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) onChoose(file);
          e.target.value = "";
        }}
      />
    </label>
  );
}
