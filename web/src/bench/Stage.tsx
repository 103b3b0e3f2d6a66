import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';
import { useState, type ReactNode } from 'react';
import type { Schemas } from '../api/client';
import { BringClip } from '../takes/Sending';
import { stage } from '../theme';
import { Loupe } from './Loupe';
import type { Body } from './landmarks';
import { Overlay, type Marking, type Pixel } from './Overlay';
import type { Player } from './player';

/** The dark stage: the film, what is drawn over it, and what it is just now. */
export function Stage({
  take,
  clip,
  player,
  poses,
  solved = [],
  grid,
  marking,
  caption,
  notes = false,
}: {
  take: string;
  clip: Schemas['ClipView'] | null | undefined;
  player: Player;
  poses: { pose: Body; faint: boolean }[];
  /** Solved bodies as this camera sees them. */
  solved?: { pose: Schemas['Pose']; faint: boolean }[];
  grid: number[][][] | null;
  marking: Marking | null;
  caption: ReactNode;
  /** The take's corrections as subtitles. */
  notes?: boolean;
}) {
  const { attach, video, frame } = player;
  const [hover, setHover] = useState<Pixel | null>(null);
  const chosen = marking?.handles.find((h) => h.id === marking.chosen)?.pixel ?? null;
  const size: [number, number] = [clip?.width || 1280, clip?.height || 720];
  return (
    <Box
      sx={{
        position: 'relative',
        height: '100%',
        minHeight: 0,
        bgcolor: stage.ground,
        color: stage.ink,
        borderRadius: 1,
        overflow: 'hidden',
      }}
    >
      {clip?.state === 'ready' && (
        <Box
          component="video"
          ref={attach}
          src={`/api/takes/${take}/video`}
          preload="auto"
          playsInline
          aria-label="Clip"
          sx={{
            position: 'absolute',
            inset: 0,
            width: '100%',
            height: '100%',
            objectFit: 'contain',
          }}
        >
          {notes && (
            <track
              kind="subtitles"
              src={`/api/takes/${take}/notes.vtt`}
              label="Corrections"
              srcLang="en"
              default
            />
          )}
        </Box>
      )}
      <Overlay
        size={size}
        poses={poses}
        solved={solved}
        grid={grid}
        marking={marking}
        onHover={setHover}
      />
      {marking && <Loupe video={video} at={hover ?? chosen} frame={frame} />}
      {clip?.state !== 'ready' && <NoFilm take={take} clip={clip} />}
      {caption && (
        <Box
          sx={{
            position: 'absolute',
            left: 10,
            bottom: 10,
            px: 1.25,
            py: 0.5,
            borderRadius: 1,
            bgcolor: 'rgba(21,25,28,.82)',
            pointerEvents: 'none',
          }}
        >
          <Typography variant="body2">{caption}</Typography>
        </Box>
      )}
    </Box>
  );
}

function NoFilm({ take, clip }: { take: string; clip: Schemas['ClipView'] | null | undefined }) {
  return (
    <Box sx={{ position: 'absolute', top: 12, left: 12, right: 12, textAlign: 'center' }}>
      {clip?.state === 'preparing' ? (
        <Box sx={{ maxWidth: 360, mx: 'auto' }} role="status">
          <Typography gutterBottom>
            Preparing the clip for stepping, {Math.round(100 * clip.progress)} %
          </Typography>
          <LinearProgress
            variant="determinate"
            value={100 * clip.progress}
            aria-label="Preparing"
          />
        </Box>
      ) : clip?.state === 'failed' ? (
        <>
          <Typography role="alert">{clip.failure}</Typography>
          <BringClip take={take} angle={1} name="Choose another clip" />
        </>
      ) : clip?.state === 'not_kept' ? (
        <Typography>The film of this take is not kept; its marks and measures are.</Typography>
      ) : (
        <>
          <Typography>This take has no clip yet.</Typography>
          <BringClip take={take} angle={1} name="Choose a clip" />
        </>
      )}
    </Box>
  );
}
