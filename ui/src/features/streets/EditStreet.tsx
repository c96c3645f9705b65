/** What can be done to the street that was clicked. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { ofLinks, type EditFeature } from "../../api/edits";
import type { Overview, Street } from "../../api/studies";
import { words } from "../../common/format";
import { Committed, Word } from "../../controls/inline";
import { useEditing } from "../../state/editing";
import { useScreen } from "../../state/screen";

const CLASSES = ["motorway", "trunk", "primary", "secondary", "tertiary", "unclassified", "residential", "living_street", "service", "pedestrian", "footway", "path", "cycleway", "steps", "track", "busway"];

export function EditStreet({ overview }: { overview: Overview }) {
  const { street, showStreet } = useScreen("street", "showStreet");
  const { apply } = useEditing(overview);
  if (!street) return null;
  const { link_id: link, tags } = street;
  const called = street.name ?? t`this ${words(street.highway)}`;
  const then = (edit: EditFeature, said: string) => void apply([edit], said).then((outcome) => outcome && showStreet(null, said));
  const change = (key: string) => (value: string) => then(ofLinks("change", [link], { [key]: value || null }), t`${called}: ${words(key)} ${value || t`taken away`}.`);
  const level = tags.bridge ? "bridge" : tags.tunnel ? "tunnel" : "ground";
  const classes = CLASSES.includes(street.highway) ? CLASSES : [street.highway, ...CLASSES];
  return (
    <div className="editor" role="group" aria-label={t`The street that was clicked`}>
      <p className="question">
        <Trans>
          Let <Committed label={t`Name`} value={street.name ?? ""} kind="place" placeholder={t`an unnamed street`} onCommit={change("name")} /> be a{" "}
          <Word kind="way" label={t`Class`} value={street.highway} options={classes.map((one) => [one, words(one)])} onChange={change("highway")} />,{" "}
          <Word
            kind="way"
            label={t`Direction`}
            value={oneWay(street)}
            options={[["", t`both ways`], ["yes", t`one-way as drawn`], ["-1", t`one-way against its drawing`]]}
            onChange={change("oneway")}
          />
          , <Committed label={t`Posted limit`} value={tags.maxspeed ?? ""} kind="amount" placeholder={t`no limit`} onCommit={change("maxspeed")} /> km/h,{" "}
          <Word
            kind="way"
            label={t`Level`}
            value={level}
            options={[["ground", t`at ground level`], ["bridge", t`on a bridge`], ["tunnel", t`in a tunnel`]]}
            onChange={(value) =>
              then(
                ofLinks("change", [link], { bridge: value === "bridge" ? "yes" : null, tunnel: value === "tunnel" ? "yes" : null, layer: { bridge: "1", tunnel: "-1" }[value] ?? null }),
                t`${called} has another level.`,
              )
            }
          />
          .
        </Trans>
      </p>
      <div className="block-tools">
        <Button size="small" onClick={() => then(ofLinks("reverse", [link]), t`${called} runs the other way.`)}><Trans>Turn it round</Trans></Button>
        <Button size="small" onClick={() => then(ofLinks("split", [link], undefined, middle(street)), t`${called} is split in its middle.`)}><Trans>Split it</Trans></Button>
        <Button size="small" onClick={() => then(ofLinks("split", [link], { barrier: "bollard", motor_vehicle: "no", foot: "yes", bicycle: "yes" }, middle(street)), t`A bollard stands on ${called}.`)}><Trans>Put a bollard</Trans></Button>
        <Button size="small" color="error" onClick={() => then(ofLinks("delete", [link]), t`${called} is taken out.`)}><Trans>Take it out</Trans></Button>
      </div>
    </div>
  );
}

const oneWay = ({ tags }: Street) => (["yes", "true", "1"].includes(tags.oneway ?? "") ? "yes" : ["-1", "reverse"].includes(tags.oneway ?? "") ? "-1" : "");

/** The vertex halfway along a street, or the middle of its only segment. */
function middle({ line }: Street): [number, number] {
  const at = line.coordinates;
  const low = at[Math.floor((at.length - 1) / 2)] ?? [0, 0];
  const high = at[Math.ceil((at.length - 1) / 2)] ?? low;
  return [((low[0] ?? 0) + (high[0] ?? 0)) / 2, ((low[1] ?? 0) + (high[1] ?? 0)) / 2];
}
