/** Simple arithmetic in value fields: numbers, + - * / and brackets. Null when it is none. */
export function calculate(text: string): number | null {
  const tokens = text.replace(/\s+/g, "").match(/\d*\.?\d+(?:e[-+]?\d+)?|[-+*/()]/gi);
  if (!tokens || tokens.join("") !== text.replace(/\s+/g, "")) return null;
  let i = 0;
  const atom = (): number => {
    const t = tokens[i++];
    if (t === "-") return -atom();
    if (t === "+") return atom();
    if (t === "(") {
      const v = sum();
      if (tokens[i++] !== ")") throw new Error("bracket");
      return v;
    }
    return Number(t);
  };
  const product = (): number => {
    let v = atom();
    while (tokens[i] === "*" || tokens[i] === "/") v = tokens[i++] === "*" ? v * atom() : v / atom();
    return v;
  };
  const sum = (): number => {
    let v = product();
    while (tokens[i] === "+" || tokens[i] === "-") v = tokens[i++] === "+" ? v + product() : v - product();
    return v;
  };
  try {
    const v = sum();
    return i === tokens.length && Number.isFinite(v) ? v : null;
  } catch {
    return null;
  }
}
