/** A form as the page it is, in the place of the map. */
import { t } from "@lingui/core/macro";
import { formAddress } from "./FormEditor";

/** `version` changes with the sheet, and shows the page anew. */
export const FormView = ({ study, form, version }: { study: string; form: string; version: string }) => (
  <div className="paper-view">
    <iframe key={version} title={t`The form`} sandbox="allow-scripts allow-same-origin allow-forms allow-downloads" src={formAddress(study, form)} />
  </div>
);
