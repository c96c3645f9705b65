/** The map itself, imperative: one object per study that takes content and keeps MapLibre in step with it. */
import { t } from "@lingui/core/macro";
import { replaceEqualDeep } from "@tanstack/react-query";
import { Map as MapLibre, Marker, prewarm, setWorkerUrl, type GeoJSONSource, type LngLatBoundsLike, type MapMouseEvent, type VectorTileSource } from "maplibre-gl";
import workerUrl from "maplibre-gl/dist/maplibre-gl-worker.mjs?url";
import type { Packed } from "../api/packed";
import { DotLayer } from "./DotLayer";
import { nearestName, type Dots } from "./dots";
import type { Box } from "./extent";
import { streetLook } from "./look";
import { NodesInView, type GraphNodes } from "./nodes";
import { layersInOrder } from "./order";
import { AREA_OPACITY, baseStyle, buttonImage, EMPTY, isOverlay, linkLettering, tilesOf, type Overlay, type Overlays } from "./style";
import { StreetLayer } from "./StreetLayer";

setWorkerUrl(workerUrl);
// The worker that cuts tiles begins while the study is still being fetched, and stays for the next map.
if (typeof Worker !== "undefined") prewarm();

/** The layers right over the streets, and right over dots. */
const [STREETS_BELOW, DOTS_BELOW] = ["owned", "contour-names"] as const;
/** Pixels from which on a route was dragged, not clicked. */
const DRAGGED = 6;

export type Pin = { name: string; lngLat: [number, number]; onDrag: (at: [number, number], done: boolean) => void };

type Exposed = { map: MapLibre; rendered: number; streets: () => number; dots: () => number };

declare global {
  interface Window {
    /** For tests: wait until `rendered` grows, project and unproject, and see how many reaches and dots were drawn. */
    awlMap?: Exposed;
    /** All maps that stand, in the order in which they were made; the last is `awlMap`. */
    awlMaps?: Exposed[];
  }
}

/** Let tests wait for a map to come to rest; returns how to forget it. */
export function exposeMap(map: MapLibre, drawn: Pick<Exposed, "streets" | "dots"> = { streets: () => 0, dots: () => 0 }): () => void {
  const exposed = { map, rendered: 0, ...drawn };
  const put = (maps: Exposed[]) => {
    const last = maps[maps.length - 1];
    window.awlMaps = maps;
    if (last) window.awlMap = last;
    else delete window.awlMap;
  };
  put([...(window.awlMaps ?? []), exposed]);
  map.on("idle", () => exposed.rendered++);
  return () => put((window.awlMaps ?? []).filter((one) => one !== exposed));
}

/** Metres that a pixel in the middle of a map stands for. */
export const metresPerPixel = (map: MapLibre) => (EQUATOR_M * Math.cos((map.getCenter().lat * Math.PI) / 180)) / (512 * 2 ** map.getZoom());
/** Pixels that are left round an answer that is gone to, and the most of the map's width that they take. */
const MARGIN = 56;
const MARGIN_SHARE = 0.085;
const EQUATOR_M = 40_075_016.7;

/** The overlays that have something to show. */
const filled = (overlays: Overlays): Overlays => Object.fromEntries(Object.entries(overlays).filter(([, { features }]) => features.length));

export class Scene {
  readonly map: MapLibre;
  private streets: StreetLayer | null = null;
  private dots: Dots | null = null;
  private dotLayer: DotLayer | null = null;
  private pins: Marker[] = [];
  private shown: Overlays = {};
  /** What is to be shown, without the nodes of streets, which follow the view. */
  private wanted: Overlays = {};
  private nodes: GraphNodes | null = null;
  private readonly nodesInView = new NodesInView();
  /** The attribute lettered along links; a fresh style letters their numbers. */
  private lettered: string | null = null;
  private newest = 0;
  /** Theme and build of the streets the base map is drawn by. */
  private styled: string;
  private opacity = 1;
  private order: readonly string[] = [];
  /** Layers of the base map as it was loaded, lowest first. */
  private layers: string[];
  private hiddenBase: Record<string, boolean> = {};
  private readonly ready: Promise<void>;
  private readonly forget: () => void;

  constructor(container: HTMLElement, theme: string, study: string, revision: string, has: (layer: string) => boolean, bounds: LngLatBoundsLike, private readonly drawn: boolean) {
    const style = baseStyle(study, revision, has);
    this.map = new MapLibre({
      container,
      style,
      bounds,
      fitBoundsOptions: { padding: drawn ? 56 : 20 },
      attributionControl: false,
      dragRotate: false,
      pitchWithRotate: false,
      touchPitch: false,
      fadeDuration: 0,
      maxZoom: 19,
      minZoom: 8,
    });
    this.map.touchZoomRotate.disableRotation();
    this.map.keyboard.disableRotation();
    const canvas = this.map.getCanvas();
    canvas.setAttribute("aria-label", t`Map. Arrow keys move it, plus and minus zoom.`);
    this.forget = exposeMap(this.map, { streets: () => this.streets?.revision ?? 0, dots: () => this.dotLayer?.drawn ?? 0 });
    for (const name of ["button", "button-out", "border"] as const) {
      this.map.on("styleimagemissing", ({ id }) => {
        if (id === name && !this.map.hasImage(name)) this.map.addImage(name, buttonImage(name), { pixelRatio: 2 });
      });
    }
    this.map.on("moveend", () => this.nodes && this.show(this.wanted));
    this.styled = `${theme} ${revision}`;
    this.layers = style.layers.map(({ id }) => id);
    this.ready = new Promise((done) => void this.map.once("style.load", () => done()));
  }

  /** Draw the base map by a theme and a build of the streets, and these streets on it; what is shown stays. */
  async restyle(theme: string, study: string, revision: string, has: (layer: string) => boolean, streets: Packed | null, bandCount: number): Promise<void> {
    // Streets may come anew while an earlier style is still loading: only the newest goes on, or two street layers would be made.
    const mine = ++this.newest;
    await this.ready;
    if (mine !== this.newest) return;
    // Streets that come after their base map need no base map anew: its tiles would be fetched twice.
    if (this.styled !== `${theme} ${revision}`) {
      this.map.setStyle(baseStyle(study, revision, has), { diff: false });
      await new Promise<void>((done) => void this.map.once("style.load", () => done()));
      if (mine !== this.newest) return;
      this.styled = `${theme} ${revision}`;
      this.dress();
    }
    if (this.streets) this.map.removeLayer(this.streets.id);
    this.streets = streets ? new StreetLayer(streets, streetLook(bandCount)) : null;
    if (this.streets) this.map.addLayer(this.streets, STREETS_BELOW);
    this.setOrder(this.order);
  }

  /** What a fresh style lacks: its images, and what the one before showed. */
  private dress(): void {
    this.lettered = null;
    this.streets = null;
    this.layers = this.map.getLayersOrder();
    for (const name of ["button", "button-out", "border"] as const) {
      if (this.map.hasImage(name)) this.map.removeImage(name);
      this.map.addImage(name, buttonImage(name), { pixelRatio: 2 });
    }
    const hidden = this.hiddenBase;
    this.shown = {};
    this.hiddenBase = {};
    this.dotLayer = null;
    this.showDots(this.dots);
    this.show(this.wanted);
    this.hideBase(hidden);
    this.setOpacity(this.opacity);
  }

  /** Letter links with an attribute; null for their numbers. A drawing is lettered from afar, for there is nothing else to read. */
  letter(study: string, revision: string, field: string | null): void {
    if (!this.map.getLayer("link-numbers")) return;
    // A fresh style letters numbers already; fetching its tiles again would double the work.
    if (field !== this.lettered) {
      this.lettered = field;
      this.map.getSource<VectorTileSource>("names")?.setTiles([tilesOf(study, revision)("streets") + (field ? `&label=${encodeURIComponent(field)}` : "")]);
      this.map.setLayoutProperty("link-numbers", "text-field", linkLettering(field));
    }
    if (!this.drawn) return;
    for (const id of ["node-numbers", "nodes"]) this.map.setLayerZoomRange(id, 8, 24);
    this.map.setLayoutProperty("node-numbers", "text-allow-overlap", true);
  }

  /** Numbers of the features of the layer under consideration at a point. */
  layerAt(x: number, y: number): number[] {
    const reach = 4;
    const found = this.map.queryRenderedFeatures([[x - reach, y - reach], [x + reach, y + reach]], { layers: ["layer-point", "layer-line", "layer-fill"] });
    return [...new Set(found.map(({ properties }) => Number(properties.fid)))];
  }

  /** What the table of an answer holds at a point, by the name of its row: a place first, then an area. */
  rowAt(x: number, y: number): { name: string; point: boolean } | null {
    const reach = 6;
    const at = (layers: string[]) =>
      this.map.queryRenderedFeatures([[x - reach, y - reach], [x + reach, y + reach]], { layers: layers.filter((id) => this.map.getLayer(id)) });
    // The lettering of a place is no part of it: the click must be at its button.
    const there = ({ geometry }: { geometry: { type: string; coordinates?: unknown } }) => {
      if (geometry.type !== "Point") return true;
      const spot = this.map.project(geometry.coordinates as [number, number]);
      return Math.hypot(spot.x - x, spot.y - y) <= 2 * reach;
    };
    // Areas of reach lie over one another and are no rows of a table: only the ground of a catchment is.
    const named = (features: ReturnType<typeof at>) =>
      features
        .map(({ properties }) => (properties.zone ?? properties.name ?? (properties.place_row === undefined ? properties.fid : properties.place)) as string | number | undefined)
        .find((name) => name !== undefined);
    const corner = (side: 1 | -1) => this.map.unproject([x + side * reach, y - side * reach]).toArray();
    const dot = this.dots && nearestName(this.dots, [...corner(-1), ...corner(1)]);
    const point = named(at(["places", "graded"]).filter(there)) ?? dot ?? named(at(["found"]).filter(there));
    const name = point ?? named(at(["zones", "areas"]));
    return name === undefined ? null : { name: String(name), point: point !== undefined };
  }

  /** Metres that a pixel in the middle of the map stands for. */
  get metresPerPixel(): number {
    return metresPerPixel(this.map);
  }

  get streetLayer(): StreetLayer | null {
    return this.streets;
  }

  setBands(count: number): void {
    this.streets?.setLook(streetLook(count));
  }

  /** Draw the areas of answers with a share of their usual opacity. */
  setOpacity(share: number): void {
    this.opacity = share;
    for (const [id, usual] of Object.entries(AREA_OPACITY)) {
      if (this.map.getLayer(id)) this.map.setPaintProperty(id, "fill-opacity", share === 1 ? usual : ["*", share, usual]);
    }
  }

  /** Draw things over one another in an order, topmost first; what it does not name lies where it lies by itself. */
  setOrder(order: readonly string[]): void {
    this.order = order;
    const now = this.map.getLayersOrder();
    const drawnBelow: Record<string, { id: string } | null> = { [STREETS_BELOW]: this.streets, [DOTS_BELOW]: this.dotLayer };
    const plain = this.layers.flatMap((id) => [...(drawnBelow[id] ? [drawnBelow[id].id] : []), id]);
    const wanted = layersInOrder(plain, order);
    if (wanted.every((id, i) => id === now[i])) return;
    for (let i = wanted.length - 1; i >= 0; i--) this.map.moveLayer(wanted[i] ?? "", wanted[i + 1]);
  }

  /** Put overlay data; absent overlays are emptied. Nodes of streets are added as far as they are in view. */
  show(overlays: Overlays, nodes = this.nodes): void {
    this.wanted = overlays;
    this.nodes = nodes;
    const all = nodes && !overlays.nodes ? { ...overlays, nodes: this.nodesInView.of(nodes, this.map.getBounds().toArray().flat() as Box, this.map.getZoom()) } : overlays;
    // What is equal stays what it was: new data is sent to a worker, cut into tiles and drawn in several frames.
    const next = replaceEqualDeep(this.shown, filled(all));
    for (const name of new Set([...Object.keys(this.shown), ...Object.keys(next)]) as Set<Overlay>) {
      if (this.shown[name] !== next[name]) void this.map.getSource<GeoJSONSource>(name)?.setData(next[name] ?? EMPTY);
    }
    this.shown = next;
    this.showLayers();
  }

  /** Put dots; null for none. */
  showDots(dots: Dots | null): void {
    if (dots === this.dots && !!dots === !!this.dotLayer) return;
    this.dots = dots;
    if (dots && this.dotLayer) {
      this.dotLayer.show(dots);
      return;
    }
    if (this.dotLayer) this.map.removeLayer(this.dotLayer.id);
    this.dotLayer = dots && new DotLayer(dots);
    if (this.dotLayer) this.map.addLayer(this.dotLayer, DOTS_BELOW);
    this.setOrder(this.order);
  }

  /** Switch layers of the base map by the first part of their id. */
  hideBase(hidden: Record<string, boolean>): void {
    this.hiddenBase = { ...hidden };
    this.showLayers();
  }

  /** Leave out layers that are switched off or have nothing to show: each costs time in every frame. */
  private showLayers(): void {
    for (const id of this.layers) {
      const source = this.map.getLayer(id)?.source;
      if (source === undefined) continue;
      const empty = isOverlay(source) && !this.shown[source]?.features.length;
      const hidden = this.hiddenBase[BASE_KEYS[id] ?? ""] ?? false;
      this.map.setLayoutProperty(id, "visibility", empty || hidden ? "none" : "visible");
    }
  }

  /** Points that can be dragged. */
  setPins(pins: Pin[]): void {
    for (const pin of this.pins) pin.remove();
    this.pins = pins.map(({ name, lngLat, onDrag }, i) => {
      const element = document.createElement("button");
      element.className = "pin";
      element.setAttribute("aria-label", t`${name}. Drag to move.`);
      element.innerHTML = "<i></i><i></i>";
      if (pins.length > 1) element.dataset.letter = String.fromCharCode(65 + (i % 26));
      const marker = new Marker({ element, draggable: true }).setLngLat(lngLat).addTo(this.map);
      const at = (): [number, number] => [marker.getLngLat().lng, marker.getLngLat().lat];
      marker.on("drag", () => onDrag(at(), false));
      marker.on("dragend", () => onDrag(at(), true));
      return marker;
    });
  }

  /** A mark with words that is moved about; it stands nowhere until it is shown. */
  mark(): { show: (at: [number, number], words: string, rides: boolean) => void; remove: () => void } {
    const element = document.createElement("div");
    let marker: Marker | null = null;
    return {
      show: (at, words, rides) => {
        element.classList.add("map-mark");
        element.classList.toggle("rides", rides);
        if (element.textContent !== words) element.textContent = words;
        marker = marker?.setLngLat(at) ?? new Marker({ element }).setLngLat(at).addTo(this.map);
      },
      remove: () => void marker?.remove(),
    };
  }

  /** Stand an element on the map, its foot at a place; returns how to take it away. */
  stand(element: HTMLElement, at: [number, number]): () => void {
    const marker = new Marker({ element, anchor: "bottom" }).setLngLat(at).addTo(this.map);
    return () => void marker.remove();
  }

  /** A cross where the pointer of another map is. */
  twin(): { show: (at: [number, number]) => void; hide: () => void } {
    const element = document.createElement("div");
    element.className = "twin";
    let marker: Marker | null = null;
    return {
      show: (at) => {
        marker = marker?.setLngLat(at) ?? new Marker({ element }).setLngLat(at).addTo(this.map);
      },
      hide: () => {
        marker?.remove();
        marker = null;
      },
    };
  }

  /** Tell where the drawn route was taken and where it was let go; a line follows the pointer in between. */
  onRouteDrag(listener: (grabbed: [number, number], dropped: [number, number]) => void): () => void {
    const { map } = this;
    const canvas = map.getCanvas();
    const layers = ["routes", "routes-second"];
    let from: MapMouseEvent | null = null;
    const over = () => (canvas.style.cursor = "grab");
    const out = () => from ?? (canvas.style.cursor = "");
    const down = (event: MapMouseEvent) => {
      // A pin stands on its route and is dragged by itself.
      if (event.defaultPrevented || event.originalEvent.target !== canvas) return;
      event.preventDefault();
      from = event;
      canvas.style.cursor = "grabbing";
      const shown = this.wanted;
      const move = ({ lngLat }: MapMouseEvent) => {
        const shape = { type: "LineString" as const, coordinates: [event.lngLat.toArray(), lngLat.toArray()] };
        const line = { type: "Feature" as const, properties: {}, geometry: shape };
        this.show({ ...shown, selection: { type: "FeatureCollection", features: [line] } });
      };
      map.on("mousemove", move);
      map.once("mouseup", ({ lngLat, point }) => {
        map.off("mousemove", move);
        from = null;
        canvas.style.cursor = "";
        this.show(shown);
        if (point.dist(event.point) > DRAGGED) listener([event.lngLat.lng, event.lngLat.lat], [lngLat.lng, lngLat.lat]);
      });
    };
    const heard = layers.flatMap((layer) => [map.on("mousedown", layer, down), map.on("mouseenter", layer, over), map.on("mouseleave", layer, out)]);
    return () => heard.forEach((one) => one.unsubscribe());
  }

  /** West, south, east, north of what is in view. */
  view(): Box {
    const bounds = this.map.getBounds();
    return [bounds.getWest(), bounds.getSouth(), bounds.getEast(), bounds.getNorth()];
  }

  /** Bring a box into view and keep it there when the map changes its size; returns the way back. */
  goTo(box: Box): () => void {
    const before = { center: this.map.getCenter(), zoom: this.map.getZoom() };
    const now = () => [this.map.getZoom(), ...this.map.getCenter().toArray()].join();
    let fitted = "";
    const fit = () => {
      // On half a map half the margin.
      const padding = Math.min(MARGIN, MARGIN_SHARE * this.map.getContainer().clientWidth);
      this.map.fitBounds(box, { padding, maxZoom: 16, animate: false });
      fitted = now();
    };
    // A map that has gone elsewhere since, by hand or not, stays there when a panel opens beside it.
    const refit = () => (now() === fitted ? fit() : done());
    const done = () => void this.map.off("resize", refit);
    fit();
    this.map.on("resize", refit);
    this.onceMovedByHand(done);
    return () => {
      done();
      this.map.jumpTo(before);
    };
  }

  /** Tell the next time a person moves the map; returns how to stop listening. */
  onceMovedByHand(listener: () => void): () => void {
    const stop = () => void this.map.off("movestart", moved);
    const moved = ({ originalEvent }: { originalEvent?: unknown }) => {
      if (!originalEvent) return;
      stop();
      listener();
    };
    this.map.on("movestart", moved);
    return stop;
  }

  /** Listen to clicks, and to Space on the map, which clicks its middle: arrow keys bring a place there. */
  onClick(listener: (lng: number, lat: number, x: number, y: number) => void): () => void {
    const handler = (event: MapMouseEvent) => listener(event.lngLat.lng, event.lngLat.lat, event.point.x, event.point.y);
    const press = (event: KeyboardEvent) => {
      if (event.key !== " ") return;
      event.preventDefault();
      const middle = this.map.getCenter();
      const { x, y } = this.map.project(middle);
      listener(middle.lng, middle.lat, x, y);
    };
    const canvas = this.map.getCanvas();
    this.map.on("click", handler);
    canvas.addEventListener("keydown", press);
    return () => {
      this.map.off("click", handler);
      canvas.removeEventListener("keydown", press);
    };
  }

  destroy(): void {
    this.forget();
    this.map.remove();
  }
}

const BASE_KEYS: Record<string, string> = {
  green: "green",
  building: "building",
  water: "water",
  "water-edge": "water",
  rail: "rail",
  "street-names": "names",
  "place-names": "names",
  "peak-names": "names",
  "node-numbers": "numbers",
  "link-numbers": "link-numbers",
  "city-names": "names",
  field: "green",
  sand: "green",
  "river-names": "names",
};
