/** All studies of this server, and where a new one begins. */
import { useQuery } from "@tanstack/react-query";
import { listStudies } from "../api/own";
import { message } from "../state/sheet";
import { Drop, STREET_FILES } from "../intake/Drop";

export function Home() {
  const { data, error } = useQuery({ queryKey: ["studies"], queryFn: listStudies, staleTime: 0, meta: { panel: "own" } });
  return (
    <main style={{ maxWidth: 620, margin: "9vh auto 0", padding: "0 24px" }}>
      <h1 style={{ font: "600 34px/42px var(--serif)" }}>Awl</h1>
      <p style={{ font: "var(--t-question)", marginBottom: 28 }}>Who can reach what, how fast, by which way, and how sure are we?</p>
      {error && <p className="problem">{message(error)}</p>}
      {data && data.studies.length > 0 && (
        <>
          <h2 style={{ font: "600 13px/20px var(--sans)", margin: 0 }}>Studies</h2>
          <ul className="studies">
            {data.studies.map(({ id, title }) => (
              <li key={id}>
                <a href={`#/${id}/sheet`}>{title}</a>
              </li>
            ))}
          </ul>
        </>
      )}
      <h2 style={{ font: "600 13px/20px var(--sans)", margin: "0 0 4px" }}>A new study</h2>
      <Drop
        study={null}
        prompt="Drop a map extract, street lines or a street graph here, or"
        hint={STREET_FILES}
      />
    </main>
  );
}
