import { RunningCalls } from "./RunningCalls";

/** The calls that the switches carry now. */
export function ActiveCallsView() {
  return (
    <div className="flex h-full flex-col">
      <RunningCalls />
    </div>
  );
}
