/** Two maps that move as one, and show on each where the pointer is on the other. */
import type { Scene } from "../../map/scene";

/** Link two maps; returns how to part them. */
export function linkMaps(first: Scene, second: Scene): () => void {
  // A map that is taken along moves too: it must not take the first along in turn.
  let led = false;
  const follow = (from: Scene, to: Scene) => {
    const move = () => {
      if (led) return;
      led = true;
      to.map.jumpTo({ center: from.map.getCenter(), zoom: from.map.getZoom() });
      led = false;
    };
    from.map.on("move", move);
    return () => void from.map.off("move", move);
  };
  second.map.jumpTo({ center: first.map.getCenter(), zoom: first.map.getZoom() });
  const undo = [follow(first, second), follow(second, first), point(first, second), point(second, first)];
  return () => undo.forEach((one) => one());
}

function point(from: Scene, to: Scene): () => void {
  const twin = to.twin();
  const move = ({ lngLat }: { lngLat: { lng: number; lat: number } }) => twin.show([lngLat.lng, lngLat.lat]);
  const out = () => twin.hide();
  from.map.on("mousemove", move);
  from.map.on("mouseout", out);
  return () => {
    from.map.off("mousemove", move);
    from.map.off("mouseout", out);
    twin.hide();
  };
}
