import { useState } from "react";
import { api, got, queries } from "../api/client";

export function Login() {
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const enter = async () => {
    try {
      await got(api.POST("/api/login", { body: { password } }));
      await queries.invalidateQueries({ queryKey: ["session"] });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <main className="flex h-full items-center justify-center">
      <form
        className="flex w-72 flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void enter();
        }}
      >
        <h1 className="text-title">Tropein</h1>
        <label className="flex flex-col gap-1 text-quiet">
          Password
          <input
            className="field"
            type="password"
            autoFocus
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        {problem && (
          <p role="alert" className="text-warn">
            {problem}
          </p>
        )}
        <button className="btn btn-main">Enter</button>
      </form>
    </main>
  );
}
