"""Invented names. None is meant to name a real place, firm or person."""

from __future__ import annotations

from numpy.random import Generator

FIRST = (
    "Curl Dyer Gant Fell Tallow Saltern Quill Hask Lorn Staithe Withy Pell Brindle Copperas Gantry Sedge Tarn Marl Oakum"
    " Cordwain Ropewalk Teasel Madder Weld Woad Fuller Napier Spindle Distaff Bobbin Treadle Heddle Shuttle Warp Weft"
    " Carder Hemp Flax Bolt Needle Thimble Eyelet Grommet Lace Braid Plait Twine Skein Reel Hank Ferrule Burnish Cinder"
    " Kiln Lime Chalk Ochre Umber Sienna Sorrel Tansy Yarrow Mallow Bracken Furze Heath Rush Osier Alder Rowan Hazel"
    " Plover Dunlin Teal Smew Garn Tern Kittiwake Shearwater Petrel Turnstone Whimbrel Avocet Pintail Pochard Gadwall"
    " Lantern Beacon Lode Sluice Weir Leat Penstock Culvert Capstan Bollard Hawser Keel Rudder Transom Futtock Thwart"
    " Larboard Binnacle Halyard Mizzen Topsail Cooper Stave Firkin Kilderkin Puncheon Hogshead Malt Barley Wort Mash"
    " Ash Beech Birch Elder Elm Hawthorn Holly Juniper Larch Maple Willow Aspen Bilberry Bramble Briar Clover Cowslip Fennel"
    " Fern Foxglove Gorse Harebell Heather Iris Ivy Lavender Lilac Linden Lupin Mint Moss Myrtle Nettle Parsley Plum Poppy"
    " Primrose Quince Reed Rye Sage Thistle Thyme Violet Wren Heron Kestrel Lark Linnet Magpie Nightjar Pipit Raven Rook"
    " Starling Swift Thrush Wagtail Anchor Anvil Bellows Brazier Chandler Chisel Farrier Forge Gable Glazier Hatter Joiner"
    " Lathe Loom Mason Miller Mortar Pewter Saddler Sawpit Tanner Tiler Turner Wainwright Weaver Wheelwright"
).split()

BY_CLASS = {
    "quay": ("Quay", "Strand", "Wharf", "Hard"),
    "primary": ("Way",),
    "secondary": ("Road",),
    "tertiary": ("Parade", "Drive", "Bank"),
    "residential": ("Street", "Lane", "Row", "Close", "Terrace", "Rise", "Place"),
    "living_street": ("Court", "Yard", "Gardens"),
    "pedestrian": ("Passage", "Walk", "Arcade"),
    "footway": ("Path", "Alley"),
    "unclassified": ("Dock", "Wharf", "Works Road"),
    "service": ("Yard",),
}


BEFORE = ("", "Upper ", "Lower ", "Little ", "North ", "South ")


class Names:
    """Hands out street names, each once: the plain ones first, then those with a word before them."""

    def __init__(self, rng: Generator, taken: set[str]) -> None:
        self._rng, self._taken = rng, taken
        self._waiting: dict[str, list[str]] = {}

    def street(self, highway: str) -> str:
        """A name that suits the class of a street."""
        kinds = BY_CLASS.get(highway, ("Street",))
        waiting = self._waiting.setdefault(highway, [])
        if not waiting:
            for before in reversed(BEFORE):
                names = [f"{before}{first} {kind}" for first in FIRST for kind in kinds]
                waiting += [names[i] for i in self._rng.permutation(len(names)) if names[i] not in self._taken]
        return waiting.pop()
