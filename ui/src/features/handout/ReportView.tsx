/** The report as the page it is; nothing in it can run. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { useScreenValue } from "../../state/screen";
import { reportAddress } from "./Report";

export function ReportView({ study, leftOut }: { study: string; leftOut: string[] }) {
  const address = reportAddress(study, useScreenValue((screen) => screen.sheet), leftOut);
  const [there, setThere] = useState<string | null>(null);
  return (
    <div className="paper-view">
      <iframe title={t`The report`} sandbox="" src={address} onLoad={() => setThere(address)} className={there === address ? undefined : "fading"} />
      {there !== address && <p className="faint" role="status"><Trans>Writing the report: what is stale is asked again</Trans></p>}
    </div>
  );
}
