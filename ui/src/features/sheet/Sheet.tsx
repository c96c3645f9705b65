/** Stage Sheet: questions as sentences, each with its answer and doubts beneath. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import type { Block, Overview } from "../../api/studies";
import { freshId, insertedAfter } from "../../state/blocks";
import { COMPARE, comparable } from "../../state/comparable";
import { Note } from "./Note";
import { useAsking } from "./asking";
import { QuestionView } from "./QuestionView";
import { Sheets } from "./Sheets";
import { message } from "../../api/client";
import { useProcesses, useSheet, useSheetActions } from "../../state/sheet";
import { useScreen } from "../../state/screen";

export function Sheet({ overview }: { overview: Overview }) {
  const { data: sheet, error } = useSheet(overview.id);
  const { data: processes } = useProcesses(overview.id);
  const { question, conflict, selectQuestion } = useScreen("question", "conflict", "selectQuestion");
  const { save, settle } = useSheetActions(overview.id);
  const open = useAsking(overview);
  const [fresh, setFresh] = useState<string | null>(null);
  const first = sheet?.blocks.find((block) => block.kind === "question")?.id;
  useEffect(() => {
    if (!question && first) selectQuestion(first);
  }, [question, first, selectQuestion]);
  if (error) return <p className="problem">{message(error)}</p>;
  if (!sheet || !processes) return null;
  if (!overview.revision) {
    return (
      <>
        <h1><Trans>Ask</Trans></h1>
        <p className="notice"><Trans>Questions need streets. Bring in an extract at stage Sources.</Trans></p>
      </>
    );
  }


  const write = (kind: "prose" | "heading") => {
    const id = freshId("n");
    setFresh(id);
    void save((now) => ({ blocks: insertedAfter(now.blocks, question, { id, kind, text: "" }) }));
  };
  let number = 0;
  return (
    <>
      {conflict && (
        <p className="problem conflict" role="alert">
          <Trans>
            Somebody else has changed this sheet in the meantime. Your last change is not saved yet.{" "}
            <button className="linkish" onClick={() => void settle("combine")}>
              Combine both
            </button>{" "}
            or{" "}
            <button className="linkish" onClick={() => void settle("theirs")}>
              take theirs
            </button>
            . Where both changed the same question, combining keeps yours.
          </Trans>
        </p>
      )}
      <h1
        contentEditable
        suppressContentEditableWarning
        spellCheck={false}
        aria-label={t`Title of the sheet`}
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
      <Sheets overview={overview} />
      {sheet.blocks.length === 0 && <p className="prose"><Trans>Begin with a question below. Its changeable words are underlined: click one to change it.</Trans></p>}
      {sheet.blocks.map((block: Block) =>
        block.kind !== "question" ? (
          <Note key={block.id} block={block} study={overview.id} fresh={block.id === fresh} />
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
        <Trans>
          Ask:{" "}
          {processes.filter(({ id }) => id !== COMPARE || comparable(sheet.blocks, [], null).length > 1).map((process) => (
            <button className="linkish" key={process.id} title={process.description} onClick={() => open(process)}>
              {process["x-awl"].opening}
            </button>
          ))}
          <span className="writing">
            Write:{" "}
            <button className="linkish" onClick={() => write("heading")}>
              a heading
            </button>
            <button className="linkish" onClick={() => write("prose")}>
              a line
            </button>
          </span>
        </Trans>
      </div>
    </>
  );
}
