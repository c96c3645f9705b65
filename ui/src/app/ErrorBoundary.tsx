/** What is shown in place of a page that failed: the fault, and the way on. The study itself is safe at the server. */
import { Component, type ReactNode } from "react";

type State = { fault: Error | null };

export class ErrorBoundary extends Component<{ children: ReactNode }, State> {
  override state: State = { fault: null };

  static getDerivedStateFromError(fault: Error): State {
    return { fault };
  }

  override render(): ReactNode {
    const { fault } = this.state;
    if (!fault) return this.props.children;
    return (
      <main className="left" role="alert">
        <h1>This page failed</h1>
        <p className="prose">Nothing is lost: every change is kept by the server as it is made.</p>
        <p className="problem">{fault.message}</p>
        <p>
          <button className="linkish" onClick={() => location.reload()}>
            Open it again
          </button>{" "}
          or go to <a href="#/" onClick={() => this.setState({ fault: null })}>all studies</a>.
        </p>
      </main>
    );
  }
}
