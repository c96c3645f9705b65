/** An animation of the answer, made by the server as a job: how far it is, then where it lies. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { message, sendJson } from "../../api/client";
import { follow, stopJob, type JobInfo } from "../../api/studies";
import { percent } from "../../common/format";
import { useScreenValue } from "../../state/screen";

type Making = { job: string; share: number };

export function Animation({ study, question }: { study: string; question: string }) {
  const [making, setMaking] = useState<Making | null>(null);
  const [address, setAddress] = useState<{ of: string; href: string } | null>(null);
  const tell = useScreenValue((screen) => screen.tell);
  const make = async () => {
    try {
      const { jobID: job } = await sendJson<JobInfo>(`/studies/${study}/animations`, "POST", { answer: question });
      setMaking({ job, share: 0 });
      const ended = await follow(job, (now) => setMaking({ job, share: now.progress / 100 }));
      if (ended.status === "successful") setAddress({ of: question, href: `/studies/${study}/animations/${job}` });
      else if (ended.status === "failed") tell(ended.problem?.detail ?? ended.message);
    } catch (error) {
      tell(message(error));
    } finally {
      setMaking(null);
    }
  };
  if (making) {
    return (
      <button className="linkish" title={t`Stop`} onClick={() => void stopJob(making.job)}>
        <Trans>Animation {percent(making.share)}, stop</Trans>
      </button>
    );
  }
  if (address?.of === question) {
    return (
      <a href={address.href} target="_blank" rel="noreferrer">
        <Trans>Open the animation</Trans>
      </a>
    );
  }
  return (
    <button className="linkish" title={t`The whole run as an animated GIF`} onClick={() => void make()}>
      <Trans>Animation</Trans>
    </button>
  );
}
