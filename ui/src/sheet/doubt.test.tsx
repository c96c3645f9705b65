import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { useScreen } from "../state/store";
import { answerOf, question } from "../testing/fixtures";
import { DoubtView, listedIn } from "./DoubtView";

const place = (name: string, status: string, away: number | null, beside: string | null = null) => ({
  type: "Feature",
  properties: { name, status, street_distance_m: away, beside },
  geometry: { type: "Point", coordinates: [-36.2, 41.3] },
});
const answer = answerOf(question("q", "isochrone", {}), {
  places: { type: "FeatureCollection", features: [place("Baths", "on street", 44), place("Hall", "on street", 3, "Quay Lane, 9 m farther"), place("Mill", "outside the study area", null)] },
  unreachable: { type: "FeatureCollection", features: [{ type: "Feature", properties: { origin: "A", destination: "B", reason: "gaps" }, geometry: null }] },
});
const doubt = { code: "places-far-from-street", grade: "note" as const, count: 1, text: "1 place lies 44 m from a usable street." };
const of = (code: string) => ({ ...doubt, code });

afterEach(cleanup);

describe("a doubt", () => {
  it("knows the places and trips it is about", () => {
    expect(listedIn(of("places-far-from-street"), answer).map(({ name }) => name)).toEqual(["Baths"]);
    expect(listedIn(of("places-outside-the-study-area"), answer).map(({ name }) => name)).toEqual(["Mill"]);
    expect(listedIn(of("places-on-one-way-street"), answer).map(({ name, note }) => [name, note])).toEqual([["Hall", "also on Quay Lane, 9 m farther"]]);
    expect(listedIn(of("trips-unreachable"), answer)).toEqual([{ name: "A to B", note: "gaps", at: null }]);
    expect(listedIn(of("speed-assumed"), answer)).toEqual([]);
  });
  it("lists them, and shows one on the map with a click", () => {
    render(<DoubtView doubt={doubt} answer={answer} full />);
    expect(screen.queryByText("Baths")).toBeNull();
    fireEvent.click(screen.getByText("Show them"));
    expect(screen.getByText("44 m from a street")).toBeTruthy();
    fireEvent.click(screen.getByText("Baths"));
    expect(useScreen.getState().goTo).toEqual([-36.2, 41.3]);
  });
  it("shows the spots it names itself", () => {
    const spots = [{ name: "Mill Lane", note: "0.8 km, 4 links", at: [-36.21, 41.31] }];
    render(<DoubtView doubt={{ ...of("streets-apart"), where: spots }} answer={answer} full />);
    fireEvent.click(screen.getByText("Show them"));
    expect(screen.getByText("0.8 km, 4 links")).toBeTruthy();
    fireEvent.click(screen.getByText("Mill Lane"));
    expect(useScreen.getState().goTo).toEqual([-36.21, 41.31]);
  });
  it("of a question that is not selected lists nothing", () => {
    render(<DoubtView doubt={doubt} answer={answer} full={false} />);
    expect(screen.queryByText("Show them")).toBeNull();
  });
});
