/** What came of an act, and why it failed. */
export function Outcome({ said, problem }: { said: string | null; problem: string | null }) {
  return (
    <>
      {said && (
        <p className="notice" role="status">
          {said}
        </p>
      )}
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}
