"""Open Matrix (OMX 0.2): matrices in one HDF5 file, with the identifiers of their rows and columns as lookups."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

MEASURES = ("duration_s", "distance_m")


def of_rows(rows: list[dict[str, Any]]) -> bytes:
    """Pairs as full matrices; NaN where there is none."""
    import h5py

    origins = list(dict.fromkeys(row["origin_id"] for row in rows))
    ends = list(dict.fromkeys(row["destination_id"] for row in rows))
    line, column = ({ident: i for i, ident in enumerate(idents)} for idents in (origins, ends))
    at = [line[row["origin_id"]] for row in rows], [column[row["destination_id"]] for row in rows]
    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["OMX_VERSION"] = np.bytes_("0.2")
        file.attrs["SHAPE"] = np.array([len(origins), len(ends)], np.int32)
        data, lookup = file.create_group("data"), file.create_group("lookup")
        for name in MEASURES:
            values = np.full((len(origins), len(ends)), np.nan)
            values[at] = [row[name] for row in rows]
            data.create_dataset(name, data=values, compression="gzip", compression_opts=1)
            data[name].attrs["NA"] = np.nan
        for name, idents, dim in (("origin", origins, 0), ("destination", ends, 1)):
            whole = all(isinstance(ident, int) for ident in idents)
            kept = np.array(idents, np.int64) if whole else np.array([str(ident).encode() for ident in idents])
            lookup.create_dataset(name, data=kept).attrs["DIM"] = dim
    return out.getvalue()
