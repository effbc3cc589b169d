import { useEffect, useState } from "react";

const rest = 1000; // ms that words stand before they are heard
const gone = 5000; // ms after which they are only where they are seen

/**
 * Heard says to those who hear the screen what changes on it: once it has stood for a while, not at each key or step.
 * What is seen stands beside it.
 */
export function Heard({ words }: { words: string }) {
  const [heard, setHeard] = useState("");
  useEffect(() => {
    const timers = [setTimeout(() => setHeard(words), rest), setTimeout(() => setHeard(""), rest + gone)];
    return () => timers.forEach(clearTimeout);
  }, [words]);
  return (
    <span role="status" className="sr-only">
      {heard}
    </span>
  );
}
