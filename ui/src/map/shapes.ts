/** Geometry that is made for the map alone: lengths, dotted approaches, calmer lines for lettering. */
import type { Feature, FeatureCollection } from "geojson";

export const collection = (features: Feature[]): FeatureCollection => ({ type: "FeatureCollection", features });

const EARTH_M = 6_371_008.8;

/** Length in metres of a line on the sphere, good to half a percent. */
export function lineLength(line: [number, number][]): number {
  const rad = (degrees: number) => (degrees * Math.PI) / 180;
  return line.slice(1).reduce((sum, [lon, lat], i) => {
    const [lon0, lat0] = line[i] as [number, number];
    const a = Math.sin(rad(lat - lat0) / 2) ** 2 + Math.cos(rad(lat0)) * Math.cos(rad(lat)) * Math.sin(rad(lon - lon0) / 2) ** 2;
    return sum + 2 * EARTH_M * Math.asin(Math.sqrt(a));
  }, 0);
}

/** Round numbers for the legend of widths, most first. */
export function loadSteps(most: number): number[] {
  const power = 10 ** Math.floor(Math.log10(Math.max(most, 1)));
  const top = ([5, 2, 1].find((step) => step * power <= most) ?? 1) * power;
  return [...new Set([top, Math.round(top / 4), Math.round(top / 20), 1])].filter((step) => step >= 1);
}

/** Shorter lines are hidden by the pin. */
const LEAST_APPROACH_M = 3;

/** Straight lines between the first and the last place and the ends of a route, where these lie apart. */
export function approaches(route: Feature, places: Feature[]): Feature[] {
  if (route.geometry.type !== "LineString") return [];
  const line = route.geometry.coordinates;
  const pairs = [[places[0], line[0]], [places[places.length - 1], line[line.length - 1]]] as const;
  return pairs.flatMap(([place, end]) => {
    if (place?.geometry.type !== "Point" || !end || lineLength([place.geometry.coordinates, end] as [number, number][]) < LEAST_APPROACH_M) return [];
    return [{ type: "Feature", properties: route.properties, geometry: { type: "LineString", coordinates: [place.geometry.coordinates, end] } }];
  });
}

/** A contour averaged along its way, for its lettering only: letters need a calmer line than the contour itself. */
export function smoothed(feature: Feature): Feature {
  if (feature.geometry.type !== "LineString") return feature;
  const line = feature.geometry.coordinates;
  const half = 6;
  const coordinates = line
    .filter((_, i) => i % 4 === 0 || i === line.length - 1)
    .map((_, j) => {
      const near = line.slice(Math.max(j * 4 - half, 0), j * 4 + half + 1);
      const mean = (axis: number) => near.reduce((sum, point) => sum + (point[axis] ?? 0), 0) / near.length;
      return [mean(0), mean(1)];
    });
  return { ...feature, geometry: { type: "LineString", coordinates } };
}
