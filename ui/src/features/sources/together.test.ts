// @vitest-environment node
/** Parts of a Shapefile go together, everything else by itself. */
import { unzipSync } from "fflate";
import { expect, test } from "vitest";
import { together } from "./together";

const file = (name: string) => new File([name], name);

test("the parts of each Shapefile become one archive", async () => {
  const sent = await together(["rooms.shp", "rooms.dbf", "rooms.prj", "town.osm.pbf", "zones.shp", "zones.dbf", "other.dbf"].map(file));
  expect(sent.map(({ name }) => name)).toEqual(["town.osm.pbf", "other.dbf", "rooms.zip", "zones.zip"]);
  const packed = unzipSync(new Uint8Array(await (sent[2] as File).arrayBuffer()));
  expect(Object.keys(packed).sort()).toEqual(["rooms.dbf", "rooms.prj", "rooms.shp"]);
  expect(new TextDecoder().decode(packed["rooms.dbf"])).toBe("rooms.dbf");
});

test("files that belong to no Shapefile stay as they are", async () => {
  const files = ["a.geojson", "b.dbf"].map(file);
  expect(await together(files)).toEqual(files);
});
