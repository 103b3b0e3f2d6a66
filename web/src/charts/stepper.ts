import { useEffect, useState } from 'react';
import type { Schemas } from '../api/client';

/** Steps through a figure's counts; −1 is the stance before the first. */
export interface Stepper {
  now: number;
  playing: boolean;
  tempo: number;
  go: (count: number) => void;
  step: (by: number) => void;
  toggle: () => void;
  setTempo: (bpm: number) => void;
}

export function useStepper(pattern: Schemas['CountPattern'] | undefined, usual: number): Stepper {
  const [now, setNow] = useState(-1);
  const [playing, setPlaying] = useState(false);
  const [chosen, setTempo] = useState<number>();
  const tempo = chosen ?? usual;
  const marks = pattern?.marks ?? [];
  const last = marks.length - 1;
  const at = Math.min(now, last);
  // How long the count in hand lasts: to the next one, or from the last round to the first.
  const here = marks[at]?.beat ?? -1;
  const next = marks[at + 1]?.beat ?? (pattern?.beats ?? 0) + (marks[0]?.beat ?? 0);
  const wait = (Math.max(0.1, next - here) * 60_000) / tempo;
  useEffect(() => {
    if (!playing || last < 0) return;
    const timer = setTimeout(() => setNow(at >= last ? 0 : at + 1), wait);
    return () => clearTimeout(timer);
  }, [playing, at, last, wait]);
  return {
    now: at,
    playing,
    tempo,
    go: (count) => {
      setPlaying(false);
      setNow(count);
    },
    step: (by) => {
      setPlaying(false);
      setNow(Math.max(-1, Math.min(last, at + by)));
    },
    toggle: () => setPlaying((p) => !p),
    setTempo,
  };
}
