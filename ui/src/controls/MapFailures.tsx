import { Failures } from "./Failures";

/** Failed requests of the map, above it. */
export function MapFailures() {
  return (
    <div className="map-failures">
      <Failures panel="map" />
    </div>
  );
}
