/** A heading or a line of prose between questions, written where it stands; emptied, it goes. */
import { t } from "@lingui/core/macro";
import type { Block } from "../../api/studies";
import { useSheetActions } from "../../state/sheet";
import { replaced, shifted, without } from "../../state/blocks";

type NoteBlock = Extract<Block, { text: string }>;

export function Note({ block, study, fresh }: { block: NoteBlock; study: string; fresh: boolean }) {
  const { save } = useSheetActions(study);
  const Tag = block.kind === "heading" ? "h2" : "p";
  return (
    <div className="note">
      <Tag
        ref={(element: HTMLElement | null) => {
          if (fresh && element && !block.text && document.activeElement === document.body) element.focus();
        }}
        className={block.kind}
        role="textbox"
        tabIndex={0}
        contentEditable
        suppressContentEditableWarning
        aria-label={block.kind === "heading" ? t`Heading` : t`Line of prose`}
        data-empty={block.kind === "heading" ? t`A heading` : t`A line of prose`}
        onBlur={(event) => {
          const text = event.currentTarget.textContent?.trim() ?? "";
          if (!text) void save(({ blocks }) => ({ blocks: without(blocks, block.id) }));
          else if (text !== block.text) void save(({ blocks }) => ({ blocks: replaced(blocks, { ...block, text }) }));
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.preventDefault();
            event.currentTarget.blur();
          }
          if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
            event.preventDefault();
            void save(({ blocks }) => ({ blocks: shifted(blocks, block.id, event.key === "ArrowUp" ? -1 : 1) }));
          }
        }}
      >
        {block.text}
      </Tag>
    </div>
  );
}
