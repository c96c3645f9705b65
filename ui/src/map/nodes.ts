/** Nodes of the street graph as points of the map: a region has too many to give them all to it. */
import type { Feature, FeatureCollection } from "geojson";
import type { Packed } from "../api/packed";
import type { Box } from "./extent";
import { collection } from "./shapes";

/** What is shown of the nodes of streets; nodes where streets are cut are border nodes. */
export type GraphNodes = { streets: Packed; plain: boolean; border: boolean };

/** Nodes as points with their number: border nodes all, others inside a box; all of them without one, none for null. */
export function nodesOf({ streets, plain, border }: GraphNodes, box?: Box | null): FeatureCollection {
  const [isBorder, lon, lat, number] = streets.arrays.slice(7) as [Uint8Array, Float64Array, Float64Array, Float64Array];
  const [west, south, east, north] = box ?? [-Infinity, -Infinity, Infinity, Infinity];
  const features: Feature[] = [];
  for (let i = 0; i < lon.length; i++) {
    const [x, y] = [lon[i] as number, lat[i] as number];
    const shown = isBorder[i] ? border : plain && box !== null && x >= west && x <= east && y >= south && y <= north;
    if (shown) features.push({ type: "Feature", properties: { border: isBorder[i] === 1, number: number[i] }, geometry: { type: "Point", coordinates: [x, y] } });
  }
  return collection(features);
}

/** The zoom from which nodes that are no border nodes are drawn, a little before they show. */
const FROM_ZOOM = 14.5;

/** The nodes of what a map shows, made anew only where it shows more than they were made for. */
export class NodesInView {
  private made: { of: GraphNodes; box: Box | null; points: FeatureCollection } | null = null;

  /** Nodes for a view: the corners of what is seen, and its zoom. */
  of(nodes: GraphNodes, view: Box, zoom: number): FeatureCollection {
    const { made } = this;
    const near = zoom >= FROM_ZOOM && nodes.plain;
    const same = made?.of.streets === nodes.streets && made.of.plain === nodes.plain && made.of.border === nodes.border;
    if (made && same && (near ? made.box !== null && covers(made.box, view) : made.box === null)) return made.points;
    const box = near ? widened(view) : null;
    this.made = { of: nodes, box, points: nodesOf(nodes, box) };
    return this.made.points;
  }
}

const covers = (box: Box, view: Box) => box[0] <= view[0] && box[1] <= view[1] && box[2] >= view[2] && box[3] >= view[3];

/** A view with half of it around on each side. */
function widened([west, south, east, north]: Box): Box {
  const [x, y] = [(east - west) / 2, (north - south) / 2];
  return [west - x, south - y, east + x, north + y];
}
