/** A timetable that waits: what came in, before it is used. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { FeedFaults } from "./FeedFaults";
import { FeedView } from "./FeedView";
import { Headways } from "./Headways";
import { StopsJoined } from "./StopsJoined";
import { useOverview } from "../../state/sheet";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

export function TimetableForm({ upload, study, onDone, onClose }: FormProps) {
  const { state, problem, add } = useBuild(upload, onDone);
  const { data: overview } = useOverview(study);
  const summary = upload.timetable;
  return (
    <section className="line-form" aria-label={t`A timetable`} data-testid="timetable-form">
      <h1><Trans>What’s in this timetable?</Trans></h1>
      <p className="dateline">{upload.name}</p>
      {summary && (
        <>
          <FeedView summary={summary} />
          {overview && <StopsJoined overview={overview} upload={upload.token} />}
          <Headways study={null} timetable={{ id: "", added: "", summary }} />
          <FeedFaults summary={summary} />
        </>
      )}
      {study === null && <p className="notice"><Trans>A timetable needs streets to walk on: begin the study with a map extract.</Trans></p>}
      <FormEnd
        state={state}
        problem={problem}
        act={t`Add it`}
        disabled={study === null}
        onAct={() => study && void add(study, [{ name: null, role: "transit", key: null }])}
        onLeave={() => leave(upload, onClose)}
      />
    </section>
  );
}
