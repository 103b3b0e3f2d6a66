import { useEffect, useState } from 'react';

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

/** `beats`: when each count falls; `round`: beats to the next repetition; `usual`: beats a minute. */
export function useStepper(beats: number[], round: number, usual: number): Stepper {
  const [now, setNow] = useState(-1);
  const [playing, setPlaying] = useState(false);
  const [chosen, setTempo] = useState<number>();
  const tempo = chosen ?? usual;
  const last = beats.length - 1;
  const at = Math.min(now, last);
  // How long the count in hand lasts: to the next one, or from the last round to the first.
  const here = beats[at] ?? -1;
  const next = beats[at + 1] ?? round + (beats[0] ?? 0);
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
