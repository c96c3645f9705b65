/** Rows of a table can be trips: between which layers they lead, and which columns hold the ids of their ends. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { TripEnds } from "../../api/uploads";
import { Word } from "../../controls/inline";
import { useOverview } from "../../state/sheet";

type Props = { study: string; columns: string[]; onTake: (ends: TripEnds) => void };

const ORIGIN = /^(origin|from|o$)/i;
const DESTINATION = /^(destination|to|d$)/i;

export function AskTrips({ study, columns, onTake }: Props) {
  const { data: overview } = useOverview(study);
  const layers = (overview?.layers ?? []).filter(({ role }) => role === "zones" || role === "places");
  const options = layers.map(({ id, title }): [string, string] => [id, title.toLowerCase()]);
  const named = columns.filter(Boolean);
  const [ends, setEnds] = useState<Partial<TripEnds>>({});
  const first = layers.find(({ role }) => role === "zones") ?? layers[0];
  const chosen: TripEnds = {
    origins: ends.origins ?? first?.id ?? "",
    destinations: ends.destinations ?? first?.id ?? "",
    origin: ends.origin ?? named.find((name) => ORIGIN.test(name)) ?? named[0] ?? "",
    destination: ends.destination ?? named.find((name) => DESTINATION.test(name)) ?? named[1] ?? "",
  };
  if (!layers.length || named.length < 2) return null;
  const word = (name: keyof TripEnds, label: string, words: [string, string][]) => (
    <Word kind={name === "origin" || name === "destination" ? "way" : "place"} label={label} value={chosen[name]} options={words} onChange={(value) => setEnds({ ...ends, [name]: value })} />
  );
  const fields = named.map((name): [string, string] => [name, name]);
  return (
    <div className="notice" role="status">
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault();
          onTake(chosen);
        }}
      >
        <Trans>
          Its rows are trips from {word("origins", t`Layer in which trips begin`, options)} by {word("origin", t`Column with the id where a trip begins`, fields)} to{" "}
          {word("destinations", t`Layer in which trips end`, options)} by {word("destination", t`Column with the id where a trip ends`, fields)}{" "}
          <button className="linkish" disabled={chosen.origin === chosen.destination}>
            Add the trips
          </button>
        </Trans>
      </form>
    </div>
  );
}
