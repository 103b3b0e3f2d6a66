import Pause from '@mui/icons-material/PauseOutlined';
import Play from '@mui/icons-material/PlayArrowOutlined';
import Next from '@mui/icons-material/SkipNextOutlined';
import Previous from '@mui/icons-material/SkipPreviousOutlined';
import Start from '@mui/icons-material/FirstPageOutlined';
import Box from '@mui/material/Box';
import Card from '@mui/material/Card';
import IconButton from '@mui/material/IconButton';
import Slider from '@mui/material/Slider';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';
import { Floor } from './Floor';
import type { Stepper } from './stepper';
import { countWords } from './words';

/** The floor path with what moves through it. */
export function FloorStage({
  sketch,
  scaled,
  stepper,
}: {
  sketch: Schemas['Sketch'];
  /** In somebody's own lengths. */
  scaled?: Schemas['Scaled'];
  stepper: Stepper;
}) {
  const { now, playing, tempo } = stepper;
  const { draft, pattern } = sketch;
  const [low = 40, high = 200] = draft.tempo;
  const button = (name: string, icon: React.ReactNode, act: () => void, off = false) => (
    <Tooltip title={name}>
      <span>
        <IconButton size="small" aria-label={name} onClick={act} disabled={off}>
          {icon}
        </IconButton>
      </span>
    </Tooltip>
  );
  return (
    <Card component="section" aria-label="Floor path" sx={{ p: 1.5 }}>
      <Floor
        name={draft.name}
        pattern={pattern}
        trails={scaled?.trails ?? sketch.trails}
        slotted={draft.slotted ?? false}
        now={now}
      />
      <Typography variant="body2" sx={{ minHeight: 38, mt: 0.5 }} role="status">
        {countWords(sketch, now, scaled)}
      </Typography>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 0.5 }}>
        {button('To the start', <Start />, () => stepper.go(-1), now < 0)}
        {button('Count back', <Previous />, () => stepper.step(-1), now < 0)}
        {button(playing ? 'Pause' : 'Play', playing ? <Pause /> : <Play />, stepper.toggle)}
        {button('Count on', <Next />, () => stepper.step(1), now >= pattern.marks.length - 1)}
        <Slider
          size="small"
          aria-label="Tempo"
          value={tempo}
          min={Math.round(low / 2)}
          max={Math.round(high)}
          onChange={(_, v) => stepper.setTempo(v)}
          getAriaValueText={(v) => `${v} beats a minute`}
          sx={{ mx: 1.5, flex: 1 }}
        />
        <Typography variant="caption" color="text.secondary" sx={{ whiteSpace: 'nowrap' }}>
          {Math.round(tempo)} beats a minute
        </Typography>
      </Box>
    </Card>
  );
}
