import FastForward from '@mui/icons-material/NavigateNext';
import FastRewind from '@mui/icons-material/NavigateBefore';
import Pause from '@mui/icons-material/Pause';
import PlayArrow from '@mui/icons-material/PlayArrow';
import Redo from '@mui/icons-material/Redo';
import Repeat from '@mui/icons-material/Repeat';
import SkipNext from '@mui/icons-material/SkipNext';
import SkipPrevious from '@mui/icons-material/SkipPrevious';
import Subtitles from '@mui/icons-material/SubtitlesOutlined';
import Undo from '@mui/icons-material/Undo';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import IconButton from '@mui/material/IconButton';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import type { Player } from './player';

function Act({
  name,
  onClick,
  disabled = false,
  pressed,
  children,
}: {
  name: string;
  onClick: () => void;
  disabled?: boolean;
  pressed?: boolean;
  children: ReactNode;
}) {
  return (
    <Tooltip title={name}>
      <span>
        <IconButton
          aria-label={name}
          aria-pressed={pressed}
          onClick={onClick}
          disabled={disabled}
          size="small"
          color={pressed ? 'primary' : 'default'}
          sx={pressed ? { bgcolor: 'action.selected' } : undefined}
        >
          {children}
        </IconButton>
      </span>
    </Tooltip>
  );
}

/** Play, step, slow down, loop, undo. */
export function Transport({
  player,
  count,
  looping,
  toggleLoop,
  notes,
  toggleNotes,
  lanes,
  undo,
  redo,
  message,
}: {
  player: Player;
  count: (by: number) => void;
  looping: boolean;
  toggleLoop: () => void;
  notes: boolean;
  toggleNotes: () => void;
  /** Chooses what is drawn over the count. */
  lanes: ReactNode;
  undo: (() => void) | null;
  redo: (() => void) | null;
  message: ReactNode;
}) {
  return (
    <Box
      role="toolbar"
      aria-label="Film"
      sx={{ display: 'flex', alignItems: 'center', gap: 0.25, height: 38 }}
    >
      <Act name="Count back" onClick={() => count(-1)}>
        <SkipPrevious />
      </Act>
      <Act name="Frame back" onClick={() => player.step(-1)}>
        <FastRewind />
      </Act>
      <Act
        name={player.playing ? 'Pause' : 'Play'}
        onClick={player.toggle}
        disabled={!player.video}
      >
        {player.playing ? <Pause /> : <PlayArrow />}
      </Act>
      <Act name="Frame on" onClick={() => player.step(1)}>
        <FastForward />
      </Act>
      <Act name="Count on" onClick={() => count(1)}>
        <SkipNext />
      </Act>
      <Act name="Loop this repetition" onClick={toggleLoop} pressed={looping}>
        <Repeat />
      </Act>
      <Act name="Corrections as subtitles" onClick={toggleNotes} pressed={notes}>
        <Subtitles />
      </Act>
      <Button onClick={player.slower} aria-label="Slower" sx={{ minWidth: 30 }}>
        −
      </Button>
      <Typography variant="body2" sx={{ width: 62, textAlign: 'center' }}>
        {player.speed === 1 ? 'tempo' : `${player.speed * 100} %`}
      </Typography>
      <Button onClick={player.faster} aria-label="Faster" sx={{ minWidth: 30 }}>
        +
      </Button>
      <Typography variant="body2" color="text.secondary" sx={{ ml: 1 }} data-testid="frame">
        frame {player.frame + 1} of {player.frames.length} · {(player.at / 1e6).toFixed(3)} s
      </Typography>
      <Box sx={{ flex: 1, px: 1, overflow: 'hidden' }} role="status">
        {message}
      </Box>
      {lanes}
      <Act name="Undo" onClick={() => undo?.()} disabled={!undo}>
        <Undo />
      </Act>
      <Act name="Redo" onClick={() => redo?.()} disabled={!redo}>
        <Redo />
      </Act>
    </Box>
  );
}
