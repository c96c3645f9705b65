/** The shelf: all studies of this server, and where a new one begins. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { listStudies, studyCard, type StudyListed } from "../../api/studies";
import { ago, figure } from "../../common/format";
import { Drop, STREET_FILES } from "../sources/Drop";
import { message } from "../../api/client";

export function Home() {
  const { data, error } = useQuery({ queryKey: ["studies"], queryFn: listStudies, staleTime: 0, meta: { panel: "own" } });
  const studies = data?.studies ?? [];
  return (
    <main className="shelf">
      <h1><Trans>Awl</Trans></h1>
      <p className="lead"><Trans>Who can reach what, how fast, by which way, and how sure are we?</Trans></p>
      {error && (
        <p className="problem" role="alert">
          {message(error)}
        </p>
      )}
      {data && studies.length === 0 && <Newcomer />}
      {studies.length > 0 && (
        <>
          <h2><Trans>Studies</Trans></h2>
          <ul className="studies">
            {studies.map((study) => (
              <li key={study.id}>{study.problem ? <Damaged study={study} /> : <StudyOnShelf study={study} />}</li>
            ))}
          </ul>
        </>
      )}
      <h2><Trans>A new study</Trans></h2>
      <Drop study={null} prompt={t`Drop a map extract, street lines or a street graph here, or`} hint={STREET_FILES} />
    </main>
  );
}

function StudyOnShelf({ study }: { study: StudyListed }) {
  const { data: card, error } = useQuery({ queryKey: ["card", study.id], queryFn: () => studyCard(study.id), meta: { panel: "own" } });
  return (
    <a href={`#/${study.id}/sheet`}>
      <svg viewBox="0 0 240 150" aria-hidden="true">
        {card?.streets && <path d={card.streets} />}
      </svg>
      <strong>{study.title}</strong>
      {card && (
        <small>
          {[card.street_km > 0 ? t`${figure(card.street_km)} km of street` : t`No streets yet`, plural(card.layers, { one: "# layer", other: "# layers" }), t`used ${ago(card.used)}`].join(" · ")}
        </small>
      )}
      {card?.asked && <em>{card.asked}</em>}
      {error && <small className="faint">{message(error)}</small>}
    </a>
  );
}

function Damaged({ study }: { study: StudyListed }) {
  return (
    <div className="damaged">
      <strong>{study.title}</strong>
      <p className="problem">{study.problem}</p>
    </div>
  );
}

/** What Awl answers, for somebody who has no study yet. */
function Newcomer() {
  return (
    <div className="newcomer">
      <p><Trans>How far does one get from a place, and who lives within reach of one?</Trans></p>
      <p><Trans>Which way is quickest, what does it cost to close a street, and which places help most?</Trans></p>
      <p>
        <Trans>A study begins with the streets of your own city: drop a map extract below. To look around first, run <code>awl demo</code>.</Trans>
      </p>
    </div>
  );
}
