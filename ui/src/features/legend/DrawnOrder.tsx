/** The order in which things lie on the map, as a line of words from the top down: drag one, or move it with the arrow keys. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Fragment, useRef, useState } from "react";
import type { Overview } from "../../api/studies";
import { drawnTitle, moved, present, wholeOrder, type Drawn } from "../../map/order";
import type { MapContent } from "../../map/content";
import { replaced } from "../../state/blocks";
import { useSheetActions, type QuestionBlock } from "../../state/sheet";

const MOVES: Record<string, 1 | -1> = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 };

export function DrawnOrder({ block, overview, content }: { block: QuestionBlock; overview: Overview; content: MapContent }) {
  const { save } = useSheetActions(overview.id);
  const [dragged, setDragged] = useState<Drawn | null>(null);
  const focused = useRef<Drawn | null>(null);
  const order = block.order ?? [];
  const shown = present(content, (layer) => overview.layers.some(({ id }) => id === layer));
  const words = wholeOrder(order).filter((name) => shown.includes(name));
  if (words.length < 2) return null;

  // Keys may come faster than what they change is drawn: each goes on from the newest order.
  const put = (change: (former: string[]) => string[] | null) =>
    void save(({ blocks }) => {
      const newest = blocks.find((one): one is QuestionBlock => one.kind === "question" && one.id === block.id) ?? block;
      const { order: former = [], ...bare } = newest;
      const next = change(former);
      return { blocks: replaced(blocks, next ? { ...bare, order: next } : bare) };
    });
  const drop = (over: Drawn) => {
    if (!dragged || dragged === over) return;
    const by = words.indexOf(over) > words.indexOf(dragged) ? 1 : -1;
    const steps = Math.abs(words.indexOf(over) - words.indexOf(dragged));
    put((former) => Array.from({ length: steps }).reduce<string[]>((next) => moved(next, shown, dragged, by), former));
  };
  return (
    <p className="drawn-order">
      <Trans>
        From the top:{" "}
        {words.map((name, i) => (
          <Fragment key={name}>
            <span
              role="button"
              tabIndex={0}
              draggable
              ref={(word) => {
                // A word that moves in the line would lose the focus, and the next key with it.
                if (!word || focused.current !== name) return;
                focused.current = null;
                word.focus();
              }}
              className={`slot way${dragged === name ? " dragged" : ""}`}
              aria-label={t`${drawnTitle(name)}, ${i + 1} of ${words.length} from the top. Arrow keys move it.`}
              title="Drag it, or move it with the arrow keys"
              onDragStart={() => setDragged(name)}
              onDragEnd={() => setDragged(null)}
              onDragOver={(event) => event.preventDefault()}
              onDrop={(event) => {
                event.preventDefault();
                drop(name);
              }}
              onKeyDown={(event) => {
                const by = MOVES[event.key];
                if (!by) return;
                event.preventDefault();
                event.stopPropagation();
                focused.current = name;
                put((former) => moved(former, shown, name, by));
              }}
            >
              {drawnTitle(name)}
            </span>
            {i < words.length - 1 ? ", " : "."}
          </Fragment>
        ))}
        {block.order && (
          <>
            {" "}
            <button className="linkish" onClick={() => put(() => null)}>
              <Trans>As it was</Trans>
            </button>
          </>
        )}
      </Trans>
    </p>
  );
}
