/** A map that draws what it is given. It knows no study on the screen and no question: several can stand side by side. */
import { useEffect, useRef, useState } from "react";
import type { Packed } from "../api/packed";
import type { MapContent } from "./content";
import { Scene } from "./scene";
import type { Box } from "./extent";

/** What a map is of. */
export type Ground = {
  study: string;
  /** The build of its streets: another one is another base map. */
  revision: string;
  bounds: Box;
  /** Whether its graph is a drawing without geography. */
  drawn: boolean;
  /** Layers of the base map that there are. */
  layers: string[];
};
/** A map that stands; `styled` grows with every style, and is 0 before the first. */
export type Standing = { scene: Scene; styled: number };

type Props = {
  ground: Ground;
  theme: string;
  streets: Packed | null;
  content: MapContent;
  opacity: number;
  /** Rows of the legend that are switched off. */
  hidden: Record<string, boolean>;
  /** The attribute lettered along links; null for their numbers. */
  label: string | null;
  onScale: (metresPerPixel: number) => void;
  /** Told of the map once it stands, and of null when it goes. */
  onStanding: (standing: Standing | null) => void;
};

export function MapCanvas({ ground, theme, streets, content, opacity, hidden, label, onScale, onStanding }: Props) {
  const holder = useRef<HTMLDivElement>(null);
  const [scene, setScene] = useState<Scene | null>(null);
  const [styled, setStyled] = useState(0);
  const { study, revision, bounds, drawn, layers } = ground;
  const has = (layer: string) => layers.includes(layer);

  useEffect(() => {
    if (!holder.current) return;
    const made = new Scene(holder.current, theme, study, revision, has, bounds, drawn);
    const report = () => onScale(made.metresPerPixel);
    made.map.on("move", report);
    made.map.on("resize", report);
    report();
    setScene(made);
    return () => {
      made.destroy();
      setScene(null);
      setStyled(0);
    };
    // A study keeps its map; new streets restyle it below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [study]);

  useEffect(() => {
    if (!scene) return;
    let current = true;
    void scene.restyle(theme, study, revision, has, streets, content.bandCount).then(() => {
      if (current) setStyled((n) => n + 1);
    });
    return () => {
      current = false;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, theme, revision, streets]);

  useEffect(() => {
    if (!scene || !styled) return;
    scene.setBands(content.bandCount);
    scene.show(content.overlays, content.nodes);
    scene.showDots(content.dots);
    scene.hideBase(hidden);
  }, [scene, styled, content, hidden]);
  useEffect(() => {
    if (scene && styled) scene.setOpacity(opacity);
  }, [scene, styled, opacity]);
  const order = content.order;
  useEffect(() => {
    if (scene && styled) scene.setOrder(order);
  }, [scene, styled, order]);
  useEffect(() => {
    if (scene && styled) scene.letter(study, revision, label);
  }, [scene, styled, study, revision, label]);
  useEffect(() => {
    onStanding(scene && { scene, styled });
  }, [scene, styled, onStanding]);
  useEffect(() => () => onStanding(null), [onStanding]);
  return <div ref={holder} className="map" data-testid="map" />;
}
