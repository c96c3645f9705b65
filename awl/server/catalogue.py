"""The studies a server knows: the GeoPackages of one folder, or one file."""

from __future__ import annotations

import contextlib
import re
import threading
from pathlib import Path

from awl.core.errors import AwlError
from awl.study.study import Study

STUDY_ID = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,63}$")


class Catalogue:
    """Finds and opens studies by id; each is opened once."""

    def __init__(self, root: Path) -> None:
        """`root` is a folder of studies, or a single study file."""
        self._only = root if root.is_file() else None
        self.folder = root.parent if self._only else root
        self._open: dict[str, Study] = {}
        self._reserved: set[str] = set()
        self._lock = threading.Lock()

    def ids(self) -> list[str]:
        """Ids of all studies, sorted."""
        files = [self._only] if self._only else self.folder.glob("*.gpkg")
        return sorted(path.stem for path in files if path and STUDY_ID.match(path.stem))

    def study(self, ident: str) -> Study:
        """An open study; raises `AwlError` (404)."""
        path = self.path(ident)
        with self._lock:
            known = self._open.get(ident)
            if known is not None and known.is_in_place:
                return known
            if ident not in self.ids():
                raise AwlError(
                    f"There is no study '{ident}'",
                    remedy=f"Studies are: {', '.join(self.ids()) or 'none yet'}",
                    status=404,
                    kind="no-such-study",
                )
            self._open[ident] = Study(path)
            return self._open[ident]

    def close(self) -> None:
        """Let what studies do behind end soon."""
        with self._lock:
            for study in self._open.values():
                study.close()

    def reserve(self, wanted: str) -> str:
        """An id for a new study, the wanted one or one like it: nobody else gets it until it is released."""
        with self._lock:
            taken, ident, number = {*self.ids(), *self._reserved}, wanted, 2
            while ident in taken:
                ident, number = f"{wanted}_{number}", number + 1
            self._reserved.add(ident)
            return ident

    def release(self, ident: str) -> None:
        """Give a reserved id back: there is a study of that name now, or there will be none."""
        with self._lock:
            self._reserved.discard(ident)

    def only(self) -> Study | None:
        """The study there is, where there is but one; one that cannot be opened says so when it is asked for."""
        idents = self.ids()
        if len(idents) == 1:
            with contextlib.suppress(AwlError):
                return self.study(idents[0])
        return None

    def path(self, ident: str) -> Path:
        """Where a study of this id is or would be; refuses ids that are no plain names."""
        if not STUDY_ID.match(ident):
            raise AwlError(
                f"'{ident[:80]}' cannot be the id of a study",
                remedy="Use letters, digits, - and _",
                inputs=("id",),
                status=404,
            )
        return self.folder / f"{ident}.gpkg"
