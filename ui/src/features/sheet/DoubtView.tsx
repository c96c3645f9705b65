/** A doubt of an answer; where it is about places or trips, they are listed, and each is shown on the map with one click. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Results } from "../../api/client";
import { figure } from "../../common/format";
import { useScreenValue } from "../../state/screen";

export function DoubtView({ doubt, full }: { doubt: Results["doubts"][number]; full: boolean }) {
  const [open, setOpen] = useState(false);
  const lookAt = useScreenValue((screen) => screen.lookAt);
  const listed = full ? (doubt.where ?? []) : [];
  return (
    <div className={`doubt ${doubt.grade}`}>
      <i aria-hidden="true">{doubt.grade === "note" ? "·" : "?"}</i>
      <span>
        <span className="sr">{doubt.grade}: </span>
        {doubt.text}{" "}
        {listed.length > 0 && (
          <button className="linkish" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? t`Hide them` : t`Show them`}
          </button>
        )}
        {open && (
          <ul className="doubted">
            {listed.map(({ name, note, at }, i) => (
              <li key={i}>
                <button className="linkish" onClick={() => lookAt(at as [number, number])}>
                  {name}
                </button>{" "}
                <span className="faint">{note}</span>
              </li>
            ))}
            {listed.length > 0 && doubt.count > listed.length && <li><Trans>and {figure(doubt.count - listed.length)} more</Trans></li>}
          </ul>
        )}
      </span>
    </div>
  );
}
