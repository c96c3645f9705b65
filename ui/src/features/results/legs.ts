/** Legs of itineraries as an answer holds them, and their clock. */
export type Leg = { itinerary: number; kind: "walk" | "ride" | "first"; text: string; from: string; to: string; begins_min: number; duration_min: number; departs: string; arrives: string; line_name?: string | null };

/** Minutes from the service day to the clock: they differ on days on which clocks are changed. */
export function shiftOf({ departs, begins_min }: Leg): number {
  const [hours = 0, minutes = 0] = departs.split(":").map(Number);
  return hours * 60 + minutes - Math.floor(begins_min);
}

/** A minute of the service day as a clock shows it. */
export function clockOf(minute: number, leg: Leg): string {
  const shown = Math.floor(minute) + shiftOf(leg);
  return `${String(Math.floor(shown / 60) % 24).padStart(2, "0")}:${String(shown % 60).padStart(2, "0")}`;
}
