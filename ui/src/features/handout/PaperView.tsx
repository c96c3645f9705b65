/** A sheet of paper at its true proportions, as the server draws it. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { checked, message } from "../../api/client";
import type { Paper } from "../../state/slices/handout";
import { addressOf } from "./paper";

/** Pixels per inch that are enough to look at a sheet of a size. */
const LOOKED_AT = { A5: 150, A4: 110, A3: 80, A2: 56 };

export function PaperView({ study, version, paper }: { study: string; version: string; paper: Paper }) {
  const { data, error, isFetching } = useQuery({
    queryKey: ["paper", study, version, paper],
    queryFn: async ({ signal }) => {
      const response = await checked(await fetch(addressOf(study, paper, "png", LOOKED_AT[paper.paper]), { signal }));
      return URL.createObjectURL(await response.blob());
    },
    placeholderData: (former) => former,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
    meta: { panel: "own" },
  });
  useEffect(() => () => { if (data) URL.revokeObjectURL(data); }, [data]);
  return (
    <div className="paper-view">
      {error ? (
        <p className="problem" role="alert">{message(error)}</p>
      ) : (
        <>
          {data && <img src={data} alt={t`The map sheet as it is printed`} className={isFetching ? "fading" : undefined} />}
          {isFetching && <p className="faint" role="status"><Trans>Drawing the sheet</Trans></p>}
        </>
      )}
    </div>
  );
}
