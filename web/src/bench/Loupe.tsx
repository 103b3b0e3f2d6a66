import Box from '@mui/material/Box';
import { useEffect, useRef } from 'react';
import { stage } from '../theme';
import type { Pixel } from './Overlay';

const SIDE = 150;
const TIMES = 4;

/** The film around a point, four times as large, for setting marks to the pixel. */
export function Loupe({
  video,
  at,
  frame,
}: {
  video: HTMLVideoElement | null;
  at: Pixel | null;
  frame: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const paint = canvas.current?.getContext('2d');
    if (!paint || !video || !at) return;
    const draw = () => {
      const part = SIDE / TIMES;
      paint.fillStyle = stage.ground;
      paint.fillRect(0, 0, SIDE, SIDE);
      paint.drawImage(video, at[0] - part / 2, at[1] - part / 2, part, part, 0, 0, SIDE, SIDE);
      paint.strokeStyle = stage.mark;
      paint.beginPath();
      paint.moveTo(SIDE / 2, SIDE / 2 - 16);
      paint.lineTo(SIDE / 2, SIDE / 2 + 16);
      paint.moveTo(SIDE / 2 - 16, SIDE / 2);
      paint.lineTo(SIDE / 2 + 16, SIDE / 2);
      paint.stroke();
    };
    draw();
    video.addEventListener('seeked', draw);
    return () => video.removeEventListener('seeked', draw);
  }, [video, at, frame]);
  if (!video || !at) return null;
  return (
    <Box
      component="canvas"
      ref={canvas}
      width={SIDE}
      height={SIDE}
      aria-hidden="true"
      sx={{
        position: 'absolute',
        top: 8,
        // Out of the way of the hand.
        [at[0] > video.videoWidth / 2 ? 'left' : 'right']: 8,
        width: SIDE,
        height: SIDE,
        borderRadius: '50%',
        border: `2px solid ${stage.mark}`,
        pointerEvents: 'none',
      }}
    />
  );
}
