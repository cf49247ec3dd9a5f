/** As many tiles as can be told apart; a trunk with more has a tile for several channels. */
const most = 15;

/** The channels of a trunk as a row of tiles, those in use raised. */
export function ChannelTiles({ used, all }: { used: number; all: number }) {
  const tiles = Math.min(all, most);
  const raised = Math.ceil((used / all) * tiles);
  return (
    <span className="flex gap-px" role="img" aria-label={`${used} of ${all} channels in use`}>
      {Array.from({ length: tiles }, (_, i) => (
        <span
          key={i}
          className={`h-2.5 w-1 rounded-[1px] ${i < raised ? "bg-added" : "bg-sunk outline outline-line"}`}
        />
      ))}
    </span>
  );
}
