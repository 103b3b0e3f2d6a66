import Earlier from '@mui/icons-material/ChevronLeft';
import Later from '@mui/icons-material/ChevronRight';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import IconButton from '@mui/material/IconButton';
import LinearProgress from '@mui/material/LinearProgress';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useCallback, useEffect, useRef, useState } from 'react';
import type { Schemas } from '../api/client';
import { useAlign, useAlignBySound } from '../api/hooks';
import { Failure } from '../shell/State';
import { stage } from '../theme';
import { Loupe } from './Loupe';
import type { Body } from './landmarks';
import { Overlay, type Marking, type Pixel } from './Overlay';
import { nearestFrame, type Player } from './player';

/** How far a playing angle may be out of step before it is put right, seconds. */
const OUT_OF_STEP = 0.06;

/** Another phone's clip of the same dance, in step with the first one's. */
export function Angle({
  take,
  clip,
  player,
  poses,
  solved,
  marking,
}: {
  take: string;
  clip: Schemas['ClipView'];
  player: Player;
  poses: { pose: Body; faint: boolean }[];
  /** Solved bodies as this camera sees them. */
  solved: { pose: Schemas['Pose']; faint: boolean }[];
  marking: Marking | null;
}) {
  const [hover, setHover] = useState<Pixel | null>(null);
  const [shown, setShown] = useState<HTMLVideoElement | null>(null);
  const film = useRef<HTMLVideoElement | null>(null);
  const attach = useCallback((own: HTMLVideoElement | null) => {
    film.current = own;
    setShown(own);
  }, []);
  const align = useAlign(take);
  const bySound = useAlignBySound(take);
  const { at, playing, speed, video } = player;
  const { offset, start, frames } = clip;
  const frame = nearestFrame(frames, at - offset);

  useEffect(() => {
    const own = film.current;
    if (!own || playing) return;
    own.pause();
    // Into the middle of the frame's time, where rounding cannot fall on its neighbour.
    const from = frames[frame] ?? 0;
    const to = frames[frame + 1] ?? from + 10_000;
    own.currentTime = (start + (from + to) / 2) / 1e6;
  }, [frame, frames, playing, start]);

  useEffect(() => {
    const own = film.current;
    if (!own || !playing || !video) return;
    own.playbackRate = speed;
    void own.play().catch(() => undefined);
    const keep = window.setInterval(() => {
      const wanted = video.currentTime + (start - offset) / 1e6;
      if (Math.abs(own.currentTime - wanted) > OUT_OF_STEP) own.currentTime = Math.max(0, wanted);
    }, 250);
    return () => window.clearInterval(keep);
  }, [offset, playing, speed, start, video]);

  // A frame of this clip is what can be told apart by eye.
  const step =
    frames.length > 1 ? ((frames.at(-1) ?? 0) - (frames[0] ?? 0)) / (frames.length - 1) : 33_333;
  const move = (by: number) =>
    align.mutate({ angle: clip.angle, offset: Math.round(offset + by * step) });

  return (
    <Box
      component="section"
      aria-label={`Angle ${clip.angle}`}
      sx={{
        position: 'relative',
        flex: 1,
        minHeight: 0,
        bgcolor: stage.ground,
        color: stage.ink,
        borderRadius: 1,
        overflow: 'hidden',
      }}
    >
      {clip.state === 'ready' && (
        <Box
          component="video"
          ref={attach}
          src={`/api/takes/${take}/video?angle=${clip.angle}`}
          preload="auto"
          muted
          playsInline
          aria-label={`Clip of angle ${clip.angle}`}
          data-frame={frame}
          sx={{
            position: 'absolute',
            inset: 0,
            width: '100%',
            height: '100%',
            objectFit: 'contain',
          }}
        />
      )}
      {clip.state === 'ready' && (
        <Overlay
          size={[clip.width || 1280, clip.height || 720]}
          poses={poses}
          solved={solved}
          grid={null}
          marking={marking}
          onHover={setHover}
        />
      )}
      {marking && (
        <Loupe
          video={shown}
          at={hover ?? marking.handles.find((h) => h.id === marking.chosen)?.pixel ?? null}
          frame={frame}
        />
      )}
      {clip.state === 'preparing' && (
        <Box role="status" sx={{ p: 1.5 }}>
          <Typography variant="body2" gutterBottom>
            Preparing angle {clip.angle}, {Math.round(100 * clip.progress)} %
          </Typography>
          <LinearProgress
            variant="determinate"
            value={100 * clip.progress}
            aria-label={`Preparing angle ${clip.angle}`}
          />
        </Box>
      )}
      {clip.state === 'failed' && (
        <Typography role="alert" sx={{ p: 1.5 }}>
          {clip.failure}
        </Typography>
      )}
      {clip.state === 'not_kept' && (
        <Typography sx={{ p: 1.5 }}>The film of this angle is not kept.</Typography>
      )}
      <Box
        sx={{
          position: 'absolute',
          left: 8,
          bottom: 8,
          display: 'flex',
          alignItems: 'center',
          pl: 1,
          borderRadius: 1,
          bgcolor: 'rgba(21,25,28,.82)',
        }}
      >
        <Typography variant="body2">
          angle {clip.angle} · begins {offset < 0 ? '−' : '+'}
          {(Math.abs(offset) / 1e6).toFixed(2)} s
        </Typography>
        <IconButton
          size="small"
          color="inherit"
          aria-label={`Angle ${clip.angle} begins one frame earlier`}
          onClick={() => move(-1)}
        >
          <Earlier fontSize="small" />
        </IconButton>
        <IconButton
          size="small"
          color="inherit"
          aria-label={`Angle ${clip.angle} begins one frame later`}
          onClick={() => move(1)}
        >
          <Later fontSize="small" />
        </IconButton>
        <Button
          size="small"
          color="inherit"
          loading={bySound.isPending}
          aria-label={`Lay angle ${clip.angle} on the first by sound`}
          onClick={() => bySound.mutate(clip.angle)}
        >
          by sound
        </Button>
        {bySound.data && (
          <Typography variant="body2" role="status" sx={{ pr: 1 }}>
            ± {Math.max(1, Math.round(1000 * bySound.data.sigma))} ms
          </Typography>
        )}
      </Box>
      {/* Over the film, which is laid out of the flow. */}
      <Box sx={{ position: 'relative' }}>
        <Failure error={align.error ?? bySound.error} />
      </Box>
    </Box>
  );
}

/** On which angle's picture is marked. */
export function WhichAngle({
  angles,
  chosen,
  choose,
}: {
  angles: number[];
  chosen: number;
  choose: (angle: number) => void;
}) {
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
      <Typography variant="body2" id="which-angle" sx={{ flex: 1 }}>
        {chosen === 1 ? 'Marking on the first angle.' : `Marking on angle ${chosen}.`}
      </Typography>
      <ToggleButtonGroup
        size="small"
        exclusive
        value={chosen}
        aria-labelledby="which-angle"
        onChange={(_, angle: number | null) => angle !== null && choose(angle)}
      >
        {[1, ...angles].map((angle) => (
          <ToggleButton key={angle} value={angle} aria-label={`Mark on angle ${angle}`}>
            {angle}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
    </Box>
  );
}
