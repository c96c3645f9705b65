/** What came of an act, and why it failed. */
export function Said({ said, problem }: { said: string | null; problem: string | null }) {
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
