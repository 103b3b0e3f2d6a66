import ContentCopy from '@mui/icons-material/ContentCopyOutlined';
import Delete from '@mui/icons-material/DeleteOutlined';
import Download from '@mui/icons-material/FileDownloadOutlined';
import Edit from '@mui/icons-material/EditOutlined';
import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import FormControlLabel from '@mui/material/FormControlLabel';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import ToggleButton from '@mui/material/ToggleButton';
import ToggleButtonGroup from '@mui/material/ToggleButtonGroup';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { Schemas } from '../api/client';
import {
  useCatalogue,
  useChart,
  useCouples,
  useRemoveChart,
  useScaled,
  type Sizes,
} from '../api/hooks';
import { FormDialog } from '../shell/FormDialog';
import { useKeys } from '../shell/keys';
import { Place } from '../shell/Shell';
import { Loaded } from '../shell/State';
import { Terms } from '../shell/Terms';
import { eighths, quantity, roles } from '../words';
import { ChartTable } from './ChartTable';
import { CountRail } from './CountRail';
import { FloorStage } from './FloorStage';
import { Problems } from './Problems';
import { useStepper } from './stepper';
import { holdWords, spoken } from './words';

/** One figure. */
export function ChartPage() {
  const { id } = useParams();
  const chart = useChart(id);
  return <Loaded of={chart}>{(view) => <Figure key={view.card.id} view={view} />}</Loaded>;
}

type Whose = 'written' | 'leader' | 'follower' | 'couple';

function Figure({ view }: { view: Schemas['ChartView'] }) {
  const { card, sketch, problems } = view;
  const [whose, setWhose] = useState<Whose>('written');
  const [heights, setHeights] = useState<[number, number]>([1.75, 1.68]);
  const [second, setSecond] = useState(false);
  const sizes: Sizes | undefined =
    whose === 'written'
      ? undefined
      : whose === 'couple'
        ? { leader: heights[0], follower: heights[1], second }
        : { [whose]: heights[whose === 'leader' ? 0 : 1] };
  const scaled = useScaled(card.id, sizes);
  const own = sizes && scaled.data;
  const stepper = useStepper(
    sketch?.beats ?? [],
    sketch?.pattern.beats ?? 0,
    Math.round(((card.tempo[0] ?? 100) + (card.tempo[1] ?? 100)) / 2),
  );
  useKeys({
    ArrowLeft: () => stepper.step(-1),
    ArrowRight: () => stepper.step(1),
    Home: () => stepper.go(-1),
    ' ': stepper.toggle,
  });
  const later = sketch?.rows.some((rows) => rows.some((r) => r.second_turn !== r.turn)) ?? false;

  return (
    <Place
      title={card.name}
      note={`${card.dance}${card.own ? ' · own figure' : ''}${card.stage === 2 ? ' · second stage' : ''}`}
      action={<Actions view={view} />}
    >
      <Typography sx={{ mb: 1, maxWidth: 900 }}>{card.about}</Typography>
      {!card.sound && (
        <Alert
          severity="warning"
          sx={{ mb: 1 }}
          action={
            <Button color="inherit" component={Link} to={`/charts/figure/${card.id}/edit`}>
              Mend it
            </Button>
          }
        >
          This figure does not pass its checks, so that takes and routines cannot use it yet.
        </Alert>
      )}
      {sketch && (
        <>
          <Card sx={{ p: 1, mb: 1.5 }}>
            <CountRail sketch={sketch} scaled={own} now={stepper.now} onPick={stepper.go} />
          </Card>
          <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5, mb: 1.5, flexWrap: 'wrap' }}>
            <ToggleButtonGroup
              size="small"
              exclusive
              value={whose}
              onChange={(_, v: Whose | null) => v && setWhose(v)}
              aria-label="Whose lengths"
            >
              <ToggleButton value="written">As written</ToggleButton>
              <ToggleButton value="leader">Leader alone</ToggleButton>
              <ToggleButton value="follower">Follower alone</ToggleButton>
              <ToggleButton value="couple">For a couple</ToggleButton>
            </ToggleButtonGroup>
            {whose !== 'written' && (
              <Heights whose={whose} heights={heights} onChange={setHeights} />
            )}
            {whose === 'couple' && later && (
              <FormControlLabel
                control={
                  <Switch
                    size="small"
                    checked={second}
                    onChange={(e) => setSecond(e.target.checked)}
                  />
                }
                label="Turns of the second stage"
              />
            )}
          </Box>
          {sizes && scaled.error && <Alert severity="error">{scaled.error.message}</Alert>}
          {own && (
            <Box role="note" sx={{ mb: 1.5, pl: 1.5, borderLeft: 3, borderColor: 'divider' }}>
              {own.reasons.map((r) => (
                <Typography key={r} variant="body2">
                  {r}
                </Typography>
              ))}
            </Box>
          )}
          <Box
            sx={{
              display: 'grid',
              gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 7fr) minmax(0, 5fr)' },
              gap: 1.5,
              alignItems: 'start',
            }}
          >
            <Card sx={{ pb: 0.5 }}>
              <ChartTable sketch={sketch} now={stepper.now} scaled={own} onPick={stepper.go} />
            </Card>
            <Box sx={{ display: 'grid', gap: 1.5 }}>
              <FloorStage sketch={sketch} scaled={own} stepper={stepper} />
              <Notes sketch={sketch} />
            </Box>
          </Box>
        </>
      )}
      {problems.length > 0 && (
        <Card component="section" aria-label="Checks" sx={{ p: 1.5, mt: 1.5 }}>
          <Typography variant="h2" gutterBottom>
            What the checks say
          </Typography>
          <Problems problems={problems} />
        </Card>
      )}
    </Place>
  );
}

/** Heights typed, or those of a couple of the studio. */
function Heights({
  whose,
  heights,
  onChange,
}: {
  whose: 'leader' | 'follower' | 'couple';
  heights: [number, number];
  onChange: (heights: [number, number]) => void;
}) {
  const couples = useCouples().data ?? [];
  const chosen = couples.find(
    (c) => c.leader_height === heights[0] && c.follower_height === heights[1],
  );
  const field = (i: 0 | 1, label: string) => (
    <TextField
      label={label}
      type="number"
      value={Math.round(heights[i] * 100)}
      onChange={(e) => {
        const metres = Number(e.target.value) / 100;
        onChange(i === 0 ? [metres, heights[1]] : [heights[0], metres]);
      }}
      slotProps={{ htmlInput: { min: 100, max: 230 } }}
      sx={{ width: 130 }}
    />
  );
  return (
    <>
      {whose === 'couple' && couples.length > 0 && (
        <TextField
          select
          label="Couple"
          value={chosen?.id ?? ''}
          onChange={(e) => {
            const c = couples.find((x) => x.id === e.target.value);
            if (c) onChange([c.leader_height, c.follower_height]);
          }}
          sx={{ width: 240 }}
        >
          {couples.map((c) => (
            <MenuItem key={c.id} value={c.id}>
              {c.leader} and {c.follower}
            </MenuItem>
          ))}
        </TextField>
      )}
      {whose !== 'follower' && field(0, 'Leader, cm')}
      {whose !== 'leader' && field(1, 'Follower, cm')}
    </>
  );
}

function Actions({ view }: { view: Schemas['ChartView'] }) {
  const { card, version } = view;
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [removing, setRemoving] = useState(false);
  const remove = useRemoveChart();
  const go = useNavigate();
  return (
    <>
      <Button
        startIcon={<Download />}
        aria-haspopup="menu"
        onClick={(e) => setMenu(e.currentTarget)}
      >
        Export
      </Button>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        {(['text', 'json'] as const).map((form) => (
          <MenuItem
            key={form}
            component="a"
            href={`/api/charts/${card.id}/document?form=${form}`}
            download
            onClick={() => setMenu(null)}
          >
            {form === 'text' ? 'As text' : 'As JSON'}
          </MenuItem>
        ))}
      </Menu>
      {version != null && (
        <Button startIcon={<Delete />} onClick={() => setRemoving(true)}>
          Remove
        </Button>
      )}
      <Button startIcon={<ContentCopy />} component={Link} to={`/charts/new?from=${card.id}`}>
        Duplicate and adapt
      </Button>
      {version != null && (
        <Button
          variant="contained"
          startIcon={<Edit />}
          component={Link}
          to={`/charts/figure/${card.id}/edit`}
        >
          Edit
        </Button>
      )}
      {removing && version != null && (
        <FormDialog
          title="Remove this figure?"
          action="Remove"
          actionFirst
          busy={remove.isPending}
          error={remove.error}
          onSubmit={() =>
            remove.mutate({ id: card.id, version }, { onSuccess: () => void go('/charts') })
          }
          onClose={() => setRemoving(false)}
        >
          <Typography>
            A figure that a take dances stays. Routines that use {card.name} will say that it is
            gone.
          </Typography>
        </FormDialog>
      )}
    </>
  );
}

/** What follows from the figure and what is worth knowing of it. */
function Notes({ sketch }: { sketch: Schemas['Sketch'] }) {
  const { draft, facts } = sketch;
  const catalogue = useCatalogue();
  const fault = (id: string) => catalogue.data?.faults.find((f) => f.id === id)?.name;
  const [near = 0, far = 0] = facts.distance;
  const [long = 0, wide = 0] = facts.floor;
  const turned = roles.flatMap((role, r) => {
    const l = facts.ledger[r];
    if (!l || l.turned === 0) return [];
    const run = l.streak === l.total ? '' : `, at most ${eighths(l.streak)} one way`;
    return [`${role} ${l.total ? eighths(l.total) : 'there and back'}${run}`];
  });
  const lines: [string, React.ReactNode][] = [
    ['Good for', draft.good_for],
    ['Harder part', draft.practice === 'both' ? 'both alike' : `the ${draft.practice}’s`],
    ['School', draft.school],
    [
      'Common faults',
      draft.faults?.length ? draft.faults.map((f) => fault(f) ?? f).join('; ') : '',
    ],
    [
      'Rhythm',
      facts.rhythm[0] === facts.rhythm[1]
        ? facts.rhythm[0]
        : `leader ${facts.rhythm[0]}; follower ${facts.rhythm[1]}`,
    ],
    [
      'Starts',
      `${spoken(facts.start)}; ${facts.start_holds.map(holdWords).join('; ') || 'nothing held'}`,
    ],
    [
      'Ends',
      facts.repeats
        ? 'as it starts, so that it can follow itself'
        : `${spoken(facts.end)}; ${facts.end_holds.map(holdWords).join('; ') || 'nothing held'}`,
    ],
    ['Turns', turned.join('; ')],
    [
      'Bodies',
      `${quantity(near, 'metres')} to ${quantity(far, 'metres')} apart${
        facts.spare == null
          ? ''
          : facts.spare < 0
            ? `; ${quantity(-facts.spare, 'metres')} out of reach at the widest`
            : `; ${quantity(facts.spare, 'metres')} of reach left at the widest`
      }`,
    ],
    ['Floor', `${quantity(long, 'metres')} by ${quantity(wide, 'metres')}`],
    [
      'Effort',
      `${facts.effort}, ${facts.pace.map((p) => p.toFixed(1)).join(' and ')} steps a second`,
    ],
  ];
  return (
    <Card component="section" aria-label="About this figure" sx={{ p: 1.5 }}>
      {draft.caution && (
        <Alert severity="warning" sx={{ mb: 1 }}>
          {draft.caution}
        </Alert>
      )}
      <Terms terms={lines.filter(([, text]) => text)} first="96px" />
    </Card>
  );
}
