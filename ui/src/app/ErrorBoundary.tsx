/** What is shown in place of a page that failed: the fault, and the way on. The study itself is safe at the server. */
import { Trans } from "@lingui/react/macro";
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
        <h1><Trans>This page failed</Trans></h1>
        <p className="prose"><Trans>Nothing is lost: every change is kept by the server as it is made.</Trans></p>
        <p className="problem">{fault.message}</p>
        <p>
          <Trans>
            <button className="linkish" onClick={() => location.reload()}>
              Open it again
            </button>{" "}
            or go to <a href="#/" onClick={() => this.setState({ fault: null })}>all studies</a>.
          </Trans>
        </p>
      </main>
    );
  }
}
