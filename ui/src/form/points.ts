/** Blanks that points on the map fill: each is a text input that takes an address, and knows the points that were set instead. */
export type Point = [number, number];
type Feature = { type: "Feature"; properties: { name?: string }; geometry: { type: "Point"; coordinates: Point } };
/** What is sent for points: GeoJSON, or the address that was written. */
export type Places = { type: "FeatureCollection"; features: Feature[] } | { name: string } | "";

const DIGITS = 5;

export class PointField {
  readonly name: string;
  points: Point[];
  private names: string[] = [];
  private readonly many: boolean;

  /** `words` say how many points there are, with `%d` for the number, and at which street one is, with `%s` for its name. */
  constructor(readonly input: HTMLInputElement, private readonly words: { points?: string; near?: string }) {
    this.name = input.name;
    this.many = "many" in input.dataset;
    this.points = JSON.parse(input.dataset.points ?? "[]") as Point[];
    if (this.points.length) this.show();
    input.addEventListener("input", () => {
      this.points = [];
      this.names = [];
    });
  }

  /** Set a point, in the place of the former one or beside it. */
  set(at: Point, name = ""): void {
    this.points = this.many ? [...this.points, at] : [at];
    this.names = this.many ? [...this.names, name] : [name];
    this.show();
  }

  move(index: number, at: Point): void {
    this.points = this.points.map((point, i) => (i === index ? at : point));
    this.names[index] = "";
    this.show();
  }

  remove(index: number): void {
    this.points = this.points.filter((_, i) => i !== index);
    this.names = this.names.filter((_, i) => i !== index);
    this.show();
  }

  /** Say at which street a point is. */
  call(index: number, street: string): void {
    this.names[index] = (this.words.near ?? "%s").replace("%s", street);
    this.show();
  }

  value(): Places {
    if (this.points.length) {
      const features = this.points.map((coordinates, i): Feature => ({ type: "Feature", properties: this.names[i] ? { name: this.names[i] } : {}, geometry: { type: "Point", coordinates } }));
      return { type: "FeatureCollection", features };
    }
    const written = this.input.value.trim();
    return written ? { name: written } : "";
  }

  private show(): void {
    const [first] = this.points;
    if (!first) this.input.value = "";
    else if (this.points.length > 1) this.input.value = (this.words.points ?? "%d").replace("%d", String(this.points.length));
    else this.input.value = this.names[0] || `${first[1].toFixed(DIGITS)}, ${first[0].toFixed(DIGITS)}`;
  }
}

/** The values of all blanks, by their names. */
export function valuesOf(form: HTMLElement, points: PointField[]): Record<string, unknown> {
  const values: Record<string, unknown> = {};
  for (const input of form.querySelectorAll<HTMLInputElement | HTMLSelectElement>("[data-kind=text], [data-kind=choice]")) values[input.name] = input.value.trim();
  for (const group of form.querySelectorAll<HTMLElement>("[data-kind=ticks]")) {
    values[group.dataset.name ?? ""] = [...group.querySelectorAll<HTMLInputElement>("input:checked")].map(({ value }) => value);
  }
  for (const field of points) values[field.name] = field.value();
  return values;
}
