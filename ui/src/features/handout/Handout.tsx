/** Stage Handout: give away the study, its layers, its streets and its answers, or the address of its API. */
import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { fetchJson, message } from "../../api/client";
import { keepAnswer, type Overview } from "../../api/studies";
import { clock, figure, words } from "../../common/format";
import { useSheet, type Answer, type QuestionBlock } from "../../state/sheet";

export function Handout({ overview }: { overview: Overview }) {
  const base = `/studies/${overview.id}`;
  const layers = overview.layers.filter(({ role }) => role === "places" || role === "zones");
  return (
    <>
      <h1>Handout</h1>
      <p className="dateline">Open formats, ready for other programs</p>
      <h2>The study</h2>
      <div className="downloads">
        <span>Layers, streets, sheet and kept answers in one file</span>
        <span />
        <a href={`${base}/file`}>GeoPackage</a>
      </div>
      <h2>Answers</h2>
      <Answers overview={overview} />
      <h2>Streets, with the cost of each direction</h2>
      <div className="downloads">
        {overview.modes.map((mode) => (
          <Row key={mode.id} label={mode.problem ? `${mode.title}: no usable street` : `${mode.title}: ${figure(mode.usable_km)} km`}>
            <span>
              <a href={`${base}/export/streets?mode=${mode.id}&format=gpkg`}>GeoPackage</a> <a href={`${base}/export/streets?mode=${mode.id}&format=geojson`}>GeoJSON</a>
            </span>
            <a href={`${base}/export/streets?mode=${mode.id}`}>GMNS</a>
          </Row>
        ))}
      </div>
      <h2>Layers</h2>
      <div className="downloads">
        {layers.map((layer) => (
          <Row key={layer.id} label={`${layer.title}: ${figure(layer.count)}`}>
            <a href={`${base}/export/layers/${layer.id}?format=geojson`}>GeoJSON</a>
            <a href={`${base}/export/layers/${layer.id}?format=csv`}>CSV</a>
          </Row>
        ))}
      </div>
      <h2>The web API of this study</h2>
      <p className="prose">Other programs read its layers and ask its questions at</p>
      <p>
        <code className="address">
          {location.origin}
          {base}
        </code>
      </p>
      <p className="notice">
        OGC API Features, Tiles and Processes; <a href={`${base}/api`}>the OpenAPI document</a> describes it.
      </p>
    </>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <>
      <span>{label}</span>
      {children}
    </>
  );
}

/** Keeps an answer as layers of the study file, so that it travels with the GeoPackage. */
function Keep({ overview, question }: { overview: Overview; question: string }) {
  const queries = useQueryClient();
  const [said, setSaid] = useState<string | null>(null);
  const kept = overview.layers.some(({ role, source }) => role === "answer" && source === `question ${question}`);
  const keep = async () => {
    try {
      const { layers } = await keepAnswer(overview.id, question);
      setSaid(`Kept as ${layers.length} layers of the study.`);
      await queries.invalidateQueries({ queryKey: ["overview", overview.id] });
    } catch (error) {
      setSaid(message(error));
    }
  };
  return (
    <p className="block-tools" style={{ margin: "0 0 2px" }}>
      <button className="linkish" onClick={() => void keep()}>
        {kept ? "Keep this newer answer in the study" : "Keep as layers of the study"}
      </button>
      {said && <span role="status">{said}</span>}
    </p>
  );
}

function Answers({ overview }: { overview: Overview }) {
  const { data: sheet } = useSheet(overview.id);
  const questions = (sheet?.blocks ?? []).filter((b): b is QuestionBlock => b.kind === "question");
  const answers = useQueries({
    queries: questions.map(({ id }) => ({
      queryKey: ["answer", overview.id, id],
      queryFn: () => fetchJson<Answer>(`/studies/${overview.id}/answers/${id}`).catch(() => null),
    })),
  });
  const found = questions.flatMap((question, i) => {
    const answer = answers[i]?.data;
    return answer ? [{ question, answer }] : [];
  });
  if (found.length === 0) return <p className="notice">No answer yet. Ask a question in the sheet.</p>;
  return (
    <>
      {found.map(({ question, answer }) => (
        <div key={question.id} style={{ marginBottom: 10 }}>
          <p style={{ font: "var(--t-prose)" }}>
            {answer.result.title} <span className="faint">{clock(answer.made)}</span>
          </p>
          <Keep overview={overview} question={question.id} />
          <div className="downloads">
            {Object.keys(answer.result.schema)
              .map((name) => [name, answer.result[name]] as const)
              .map(([name, value]) => (
                <Row key={name} label={words(name)}>
                  {Array.isArray(value) ? (
                    <span />
                  ) : (
                    <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=geojson`}>GeoJSON</a>
                  )}
                  <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=csv`}>CSV</a>
                </Row>
              ))}
          </div>
        </div>
      ))}
    </>
  );
}
