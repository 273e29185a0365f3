import { Component, type ReactNode } from "react";

/** What is drawn in place of a part of the page that broke: words, and a way back. Edits are stored as they are made: none is lost. */
export class Broken extends Component<{ children: ReactNode }, { error: Error | null }> {
  state = { error: null as Error | null };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  render() {
    if (!this.state.error) return this.props.children;
    return (
      <div role="alert" className="m-auto flex h-full max-w-md flex-col items-start justify-center gap-3 p-6">
        <h1 className="text-title">Something in the page broke.</h1>
        <p className="text-quiet">
          What you did is stored. Open the page again; if it breaks at the same place, undo the last edit.
        </p>
        <p className="mono text-quiet">{this.state.error.message}</p>
        <span className="flex gap-2">
          <button className="btn btn-main" onClick={() => location.reload()}>
            Open it again
          </button>
          <a className="btn" href="/">
            To the shots
          </a>
        </span>
      </div>
    );
  }
}
