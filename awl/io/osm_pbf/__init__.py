"""OSM PBF, the Protocolbuffer Binary Format of map extracts: framing, kernels, reader and writer.

Format: OpenStreetMap wiki, *PBF Format*, with `fileformat.proto` and `osmformat.proto`, version 0.6.
"""

from awl.io.osm_pbf.elements import read_elements
from awl.io.osm_pbf.read import read
from awl.io.osm_pbf.write import write

__all__ = ["read", "read_elements", "write"]
