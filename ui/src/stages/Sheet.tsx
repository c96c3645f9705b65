/** Stage Sheet: questions as sentences, each with its answer and doubts beneath. */
import { useEffect } from "react";
import type { Block, Overview } from "../api/own";
import { freshInputs } from "../sheet/words";
import { QuestionView } from "../sheet/QuestionView";
import { isComplete, message, useProcesses, useSheet, useSheetActions, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/store";

export function Sheet({ overview }: { overview: Overview }) {
  const { data: sheet, error } = useSheet(overview.id);
  const { data: processes } = useProcesses(overview.id);
  const { question, set, mode } = useScreen();
  const { save, ask } = useSheetActions(overview.id);
  const first = sheet?.blocks.find((block) => block.kind === "question")?.id;
  useEffect(() => {
    if (!question && first) set({ question: first });
  }, [question, first, set]);
  if (error) return <p className="problem">{message(error)}</p>;
  if (!sheet || !processes) return null;
  if (!overview.stamp) {
    return (
      <>
        <h1>Ask</h1>
        <p className="notice">Questions need streets. Bring in an extract at stage Sources.</p>
      </>
    );
  }

  const open = (process: (typeof processes)[number]) => {
    const id = `q${Date.now().toString(36)}`;
    const inputs = freshInputs(process, overview.layers, mode, overview.costs, overview.drawn);
    const block: QuestionBlock = { id, kind: "question", process: process.id, inputs };
    const slot = Object.entries(inputs).find(([, value]) => (value as { features?: unknown[] })?.features?.length === 0)?.[0];
    set({ question: id, editing: null, picking: slot ? { question: id, slot } : null, street: null });
    void save((now) => ({ blocks: [...now.blocks, block] })).then(() => {
      if (isComplete(inputs)) void ask(id, block.process, inputs);
    });
  };
  let number = 0;
  return (
    <>
      <h1
        contentEditable
        suppressContentEditableWarning
        spellCheck={false}
        aria-label="Title of the sheet"
        onBlur={(event) => {
          const title = event.currentTarget.textContent?.trim() ?? "";
          if (title !== sheet.title) void save(() => ({ title }));
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.preventDefault();
            event.currentTarget.blur();
          }
        }}
      >
        {sheet.title}
      </h1>
      <p className="dateline">{overview.title}</p>
      {sheet.blocks.length === 0 && <p className="prose">Begin with a question below. Its changeable words are underlined: click one to change it.</p>}
      {sheet.blocks.map((block: Block) =>
        block.kind === "prose" ? (
          <p className="prose" key={block.id}>
            {block.text}
          </p>
        ) : (
          <QuestionView
            key={block.id}
            number={++number}
            block={block}
            process={processes.find(({ id }) => id === block.process)}
            overview={overview}
          />
        ),
      )}
      <div className="asking">
        Ask:{" "}
        {processes.map((process) => (
          <button className="linkish" key={process.id} title={process.description} onClick={() => open(process)}>
            {process["x-awl"].opening}
          </button>
        ))}
      </div>
    </>
  );
}
