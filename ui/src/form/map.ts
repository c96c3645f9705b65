/** The map of a form: a click, or Enter for the point in its middle, fills the blank that is being filled. */
import { CRS, divIcon, latLngBounds, Map as Leaflet, Marker, type LatLngBoundsExpression } from "leaflet";
import { BaseTiles, NEWEST_ZOOM } from "./tiles";
import type { Point, PointField } from "./points";
import { nearest } from "./runs";

const CLOSE_ZOOM = 16;
/** A button as sewn on, and where it lies on its place. */
const PIN = '<svg viewBox="0 0 28 28" width="28" height="28"><circle cx="14" cy="14" r="10" fill="var(--page)" stroke="var(--ink)" stroke-width="2.4"/><circle cx="10.6" cy="14" r="2.2" fill="var(--ink)"/><circle cx="17.4" cy="14" r="2.2" fill="var(--ink)"/></svg>';
const ICON = divIcon({ html: PIN, className: "pin", iconSize: [28, 28], iconAnchor: [14, 14] });

export class FormMap {
  readonly map: Leaflet;
  private markers: Marker[] = [];
  private readonly nearby: string;

  /** `active` is the blank that a click fills. */
  constructor(element: HTMLElement, private readonly fields: PointField[], active: () => PointField | undefined) {
    this.nearby = element.dataset.near ?? "";
    const [west = 0, south = 0, east = 0, north = 0] = JSON.parse(element.dataset.bounds ?? "[]") as number[];
    const bounds: LatLngBoundsExpression = [[south, west], [north, east]];
    this.map = new Leaflet(element, { crs: CRS.EPSG3857, attributionControl: false, maxZoom: NEWEST_ZOOM + 4, minZoom: 3, zoomSnap: 0.25, maxBounds: latLngBounds(bounds).pad(1) });
    this.map.fitBounds(bounds);
    new BaseTiles(element.dataset.tiles ?? "").addTo(this.map);
    this.map.on("click", ({ latlng }) => this.fill(active(), [latlng.lng, latlng.lat]));
    element.addEventListener("keydown", (event) => {
      if (event.key !== "Enter" || event.target !== element) return;
      event.preventDefault();
      const { lng, lat } = this.map.getCenter();
      this.fill(active(), [lng, lat]);
    });
    this.draw();
  }

  fill(field: PointField | undefined, at: Point, name = ""): void {
    field?.set(at, name);
    this.draw();
    if (field && !name) this.name(field, field.points.length - 1);
  }

  /** Call a point by the street it lies at; it keeps its coordinates where there is none. */
  private name(field: PointField, index: number): void {
    const at = field.points[index];
    if (!at) return;
    nearest(this.nearby, at).then(
      (street) => {
        if (street && field.points[index] === at) field.call(index, street);
      },
      () => undefined,
    );
  }

  /** Bring a point close. */
  lookAt([lon, lat]: Point): void {
    this.map.setView([lat, lon], Math.max(this.map.getZoom(), CLOSE_ZOOM), { animate: false });
  }

  draw(): void {
    for (const marker of this.markers) marker.remove();
    this.markers = this.fields.flatMap((field) =>
      field.points.map(([lon, lat], i) => {
        const marker = new Marker([lat, lon], { icon: ICON, draggable: true, keyboard: false }).addTo(this.map);
        marker.on("dragend", () => {
          const { lng, lat: north } = marker.getLatLng();
          field.move(i, [lng, north]);
          this.name(field, i);
        });
        marker.on("click", () => {
          field.remove(i);
          this.draw();
        });
        return marker;
      }),
    );
  }
}
