/** Stage Handout: give away the study, its layers, its streets and its answers, or the address of its API. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { fetchJson, message } from "../../api/client";
import { keepAnswer, type Overview } from "../../api/studies";
import { clock, figure, words } from "../../common/format";
import { Addresses } from "./Addresses";
import { MapSheet } from "./MapSheet";
import { Report } from "./Report";
import { FormEditor } from "../forms/FormEditor";
import { useSheet, type Answer, type QuestionBlock } from "../../state/sheet";

export function Handout({ overview }: { overview: Overview }) {
  const base = `/studies/${overview.id}`;
  const layers = overview.layers.filter(({ role }) => role === "places" || role === "zones");
  return (
    <>
      <h1><Trans>Handout</Trans></h1>
      <p className="dateline"><Trans>Open formats, ready for other programs</Trans></p>
      <h2><Trans>A map on paper</Trans></h2>
      <MapSheet study={overview.id} />
      <h2><Trans>A report</Trans></h2>
      <Report study={overview.id} />
      <h2><Trans>A form for colleagues</Trans></h2>
      <FormEditor overview={overview} />
      <h2><Trans>The study</Trans></h2>
      <div className="downloads">
        <span><Trans>Layers, streets, sheet and kept answers in one file</Trans></span>
        <span />
        <a href={`${base}/file`}><Trans>GeoPackage</Trans></a>
      </div>
      <h2><Trans>Answers</Trans></h2>
      <Answers overview={overview} />
      <h2><Trans>Streets, with the cost of each direction</Trans></h2>
      <div className="downloads">
        {overview.modes.map((mode) => (
          <Row key={mode.id} label={mode.problem ? t`${mode.title}: no usable street` : t`${mode.title}: ${figure(mode.usable_km)} km`}>
            <span>
              <a href={`${base}/export/streets?mode=${mode.id}&format=gpkg`}><Trans>GeoPackage</Trans></a> <a href={`${base}/export/streets?mode=${mode.id}&format=geojson`}><Trans>GeoJSON</Trans></a>
            </span>
            <a href={`${base}/export/streets?mode=${mode.id}`}><Trans>GMNS</Trans></a>
          </Row>
        ))}
      </div>
      <h2><Trans>Layers</Trans></h2>
      <div className="downloads">
        {layers.map((layer) => (
          <Row key={layer.id} label={`${layer.title}: ${figure(layer.count)}`}>
            <a href={`${base}/export/layers/${layer.id}?format=geojson`}><Trans>GeoJSON</Trans></a>
            <a href={`${base}/export/layers/${layer.id}?format=csv`}><Trans>CSV</Trans></a>
          </Row>
        ))}
      </div>
      <h2><Trans>The same questions for other programs</Trans></h2>
      <Addresses study={overview.id} />
      <h2><Trans>The web API of this study</Trans></h2>
      <p className="prose"><Trans>Other programs read its layers and ask its questions at</Trans></p>
      <p>
        <code className="address">
          {location.origin}
          {base}
        </code>
      </p>
      <p className="notice">
        <Trans>OGC API Features, Tiles and Processes; <a href={`${base}/api`}>the OpenAPI document</a> describes it.</Trans>
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
  const kept = overview.layers.some(({ role, source }) => role === "answer" && source === t`question ${question}`);
  const keep = async () => {
    try {
      const { layers } = await keepAnswer(overview.id, question);
      setSaid(t`Kept as ${layers.length} layers of the study.`);
      await queries.invalidateQueries({ queryKey: ["overview", overview.id] });
    } catch (error) {
      setSaid(message(error));
    }
  };
  return (
    <p className="block-tools" style={{ margin: "0 0 2px" }}>
      <button className="linkish" onClick={() => void keep()}>
        {kept ? t`Keep this newer answer in the study` : t`Keep as layers of the study`}
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
  if (found.length === 0) return <p className="notice"><Trans>No answer yet. Ask a question in the sheet.</Trans></p>;
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
                    <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=geojson`}><Trans>GeoJSON</Trans></a>
                  )}
                  <span>
                    <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=csv`}><Trans>CSV</Trans></a>{" "}
                    <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=xlsx`}><Trans>XLSX</Trans></a>{" "}
                    <a href={`/studies/${overview.id}/export/answers/${question.id}/${name}?format=csv&fields=true`} title={t`What each field holds, in which unit`}><Trans>fields</Trans></a>
                  </span>
                </Row>
              ))}
          </div>
        </div>
      ))}
    </>
  );
}
