import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import type { Schemas } from '../api/client';

const SPEEDS = [0.25, 0.5, 0.75, 1];

/** Last frame shown at or before a moment (both microseconds); a millisecond is forgiven. */
export function frameAt(frames: number[], at: number) {
  let low = 0;
  let high = frames.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((frames[middle] ?? 0) <= at + 1000) low = middle;
    else high = middle - 1;
  }
  return Math.max(0, low);
}

/** Frame nearest to a moment. */
export function nearestFrame(frames: number[], at: number) {
  const i = frameAt(frames, at);
  const here = Math.abs((frames[i] ?? 0) - at);
  const next = frames[i + 1];
  return next !== undefined && Math.abs(next - at) < here ? i + 1 : i;
}

export interface Player {
  attach: (video: HTMLVideoElement | null) => void;
  video: HTMLVideoElement | null;
  frames: number[];
  frame: number;
  /** Microseconds of the frame shown. */
  at: number;
  playing: boolean;
  speed: number;
  loop: [number, number] | null;
  toggle: () => void;
  seek: (frame: number) => void;
  seekTime: (at: number) => void;
  step: (by: number) => void;
  slower: () => void;
  faster: () => void;
  setLoop: (range: [number, number] | null) => void;
  /** Plays a range round and round, slowly. */
  playRange: (range: [number, number]) => void;
}

/**
 * Steps a clip frame by frame. The container's own frame times decide, never a rate; a seek aims at
 * the middle of the frame's display interval, where rounding cannot fall on its neighbour.
 */
export function usePlayer(
  clip: Schemas['ClipView'] | null | undefined,
  /** Moment at which it stands at first, microseconds; such a player is mute. */
  begin?: number,
): Player {
  const [video, setVideo] = useState<HTMLVideoElement | null>(null);
  const [frame, setFrame] = useState(() =>
    begin === undefined ? 0 : nearestFrame(clip?.frames ?? [], begin),
  );
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(1);
  const [loop, setLoop] = useState<[number, number] | null>(null);
  const loopRef = useRef(loop);
  const film = useRef<HTMLVideoElement | null>(null);
  const frames = useMemo(() => clip?.frames ?? [], [clip?.frames]);
  const start = clip?.start ?? 0;

  useEffect(() => {
    loopRef.current = loop;
  }, [loop]);

  const show = useCallback(
    (index: number) => {
      const i = Math.max(0, Math.min(frames.length - 1, index));
      setFrame(i);
      if (!film.current) return;
      const from = frames[i] ?? 0;
      const to = frames[i + 1] ?? from + 10_000;
      film.current.currentTime = (start + (from + to) / 2) / 1e6;
    },
    [frames, start],
  );

  const attach = useCallback(
    (element: HTMLVideoElement | null) => {
      film.current = element;
      setVideo(element);
      if (element && begin !== undefined) {
        element.muted = true;
        show(nearestFrame(frames, begin));
      }
    },
    [begin, frames, show],
  );

  // A list of frames that is read again must not end the watch over what is shown: a picture that comes between
  // two watches would never be told.
  const current = useRef({ frames, start, show });
  useEffect(() => {
    current.current = { frames, start, show };
  }, [frames, start, show]);

  useEffect(() => {
    const video = film.current;
    if (!video) return;
    let handle = 0;
    const shown: VideoFrameRequestCallback = (_, meta) => {
      const { frames, start } = current.current;
      const at = meta.mediaTime * 1e6 - start;
      const i = frameAt(frames, at);
      video.dataset.shown = String(i);
      // While it stands, the frame that was asked for counts, not a late picture of an earlier seek.
      if (!video.paused) {
        setFrame(i);
        const range = loopRef.current;
        if (range && at >= range[1]) video.currentTime = (start + range[0]) / 1e6;
      }
      handle = video.requestVideoFrameCallback(shown);
    };
    handle = video.requestVideoFrameCallback(shown);
    const play = () => setPlaying(true);
    const pause = () => {
      setPlaying(false);
      const { frames, start, show } = current.current;
      show(frameAt(frames, video.currentTime * 1e6 - start));
    };
    video.addEventListener('play', play);
    video.addEventListener('pause', pause);
    return () => {
      video.cancelVideoFrameCallback(handle);
      video.removeEventListener('play', play);
      video.removeEventListener('pause', pause);
    };
  }, [video]);

  useEffect(() => {
    const video = film.current;
    if (!video) return;
    // The pitch stays: the music is recognised at half speed.
    video.preservesPitch = true;
    video.playbackRate = speed;
  }, [video, speed]);

  const pick = (by: number) =>
    setSpeed((s) => SPEEDS[Math.max(0, Math.min(SPEEDS.length - 1, SPEEDS.indexOf(s) + by))] ?? 1);

  return {
    attach,
    video,
    frames,
    frame,
    at: frames[frame] ?? 0,
    playing,
    speed,
    loop,
    toggle: () => {
      if (!video) return;
      if (video.paused) void video.play();
      else video.pause();
    },
    seek: (i) => {
      video?.pause();
      show(i);
    },
    seekTime: (at) => {
      video?.pause();
      show(nearestFrame(frames, at));
    },
    step: (by) => {
      video?.pause();
      show(frame + by);
    },
    slower: () => pick(-1),
    faster: () => pick(1),
    setLoop,
    playRange: (range) => {
      setLoop(range);
      setSpeed(0.5);
      if (!film.current) return;
      film.current.currentTime = (start + range[0]) / 1e6;
      void film.current.play();
    },
  };
}
