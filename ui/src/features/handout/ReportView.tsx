/** The report as the page it is; nothing in it can run. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { LinearProgress } from "@mui/material";
import { message } from "../../api/client";
import { useReport } from "./useReport";

export function ReportView({ study, leftOut }: { study: string; leftOut: string[] }) {
  const { address, error, making } = useReport(study, leftOut);
  return (
    <div className="paper-view">
      {error && <p className="problem" role="alert">{message(error)}</p>}
      {address && <iframe title={t`The report`} sandbox="" src={address} />}
      {making && (
        <div className="faint" role="status">
          <Trans>Writing the report: what is stale is asked again. {making.message}</Trans>
          <LinearProgress variant="determinate" value={making.share * 100} aria-label={t`Writing the report`} />
        </div>
      )}
    </div>
  );
}
