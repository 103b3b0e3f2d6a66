import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue } from '../api/hooks';
import { BandGauge, type GaugeValue } from '../shapes/BandGauge';
import { coupleWords, stepNotes, stepWords } from '../charts/words';
import { bandText, reading, roles, short } from '../words';
import { measuresAt, spoken, type Cell } from './cells';
import { Panel } from './Panel';

/** Measures whose fault is judged over the repetition but which are shown at each count. */
const borrowed: Record<string, string> = { arrival: 'timing_mean' };

/** Read in the upright plane through the couple's line, which one view cannot look behind. */
const planar = ['elbow', 'lean'];

const FEW = 4;

/** A fault with the band that is in force for it. */
interface Banded {
  band: Schemas['Band'];
  reason: string;
}

/** How far beyond the fine band a reading lies, in widths of the borderline zone; negative inside. */
function outside(m: Schemas['Measure'], fault: Banded | undefined) {
  if (!fault || m.reading.seen !== 'value') return -9;
  const value = m.reading.value;
  const side = (i: 0 | 1, sign: number) => {
    const fine = fault.band.fine[i];
    const clear = fault.band.clear[i];
    return fine == null || clear == null
      ? -9
      : (sign * (value - fine)) / (Math.abs(clear - fine) || 1);
  };
  return Math.max(side(0, -1), side(1, 1));
}

/** The numbers at the count in hand, both roles, on their bands. */
export function CountCard({
  analysis,
  chart,
  cell,
}: {
  analysis: Schemas['Analysis'];
  chart: Schemas['Sketch'] | undefined;
  cell: Cell | undefined;
}) {
  const catalogue = useCatalogue();
  const [whole, setWhole] = useState(false);
  const here = measuresAt(analysis, cell);
  const rows = (catalogue.data?.measures ?? []).flatMap((spec) => {
    const of = here.filter((m) => m.id === spec.id && spec.id !== 'support');
    if (of.length === 0) return [];
    const judging = borrowed[spec.id] ?? spec.id;
    const entry = catalogue.data?.faults.find((f) => f.measure === judging);
    const band = analysis.judged.find((j) => j.measure === judging)?.band;
    const fault = entry && band ? { band, reason: entry.reason } : undefined;
    return [{ spec, of, fault, out: Math.max(...of.map((m) => outside(m, fault))) }];
  });
  // The most telling first: those nearest to, or beyond, the edge of their band.
  const telling = [...rows].sort((a, b) => b.out - a.out).slice(0, FEW);
  const shown = whole ? rows : rows.filter((r) => telling.includes(r));
  const cells = analysis.count?.cells ?? [];
  return (
    <Panel
      title={cell ? `Count ${spoken(cells, cell)}` : 'Count'}
      note="value ± one sigma, stripe = fine"
    >
      {chart && cell && <Charted chart={chart} count={cell.count} />}
      {rows.length === 0 && (
        <Typography variant="body2" color="text.secondary">
          {analysis.count_stage.state !== 'ready'
            ? analysis.count_stage.what
            : 'Nothing is marked at this count. Press b to mark bodies, or arrivals while watching.'}
        </Typography>
      )}
      {shown.map(({ spec, of, fault }) => {
        const values: GaugeValue[] = of.flatMap((m) =>
          m.reading.seen === 'value' ? [{ role: m.role ?? null, value: m.reading }] : [],
        );
        const hidden = of.find((m) => m.reading.seen === 'not_visible');
        const text = values.map((v) => reading(spec.id, v.value, spec.unit));
        const band = fault ? bandText(fault.band, spec.unit) : 'no band';
        return (
          <Tooltip
            key={spec.id}
            placement="left"
            title={`${spec.name}: ${spec.source}. ${spec.sign}. Fine: ${band}.${fault ? ` ${fault.reason}` : ''}`}
          >
            <Box
              sx={{
                display: 'grid',
                gridTemplateColumns: '104px 96px 1fr',
                gap: 1,
                alignItems: 'center',
                py: 0.2,
              }}
            >
              <Typography variant="caption" sx={{ lineHeight: 1.15 }}>
                {short[spec.id] ?? spec.name}
                {planar.includes(spec.id) && '*'}
              </Typography>
              {fault && values.length > 0 ? (
                <BandGauge
                  band={fault.band}
                  values={values}
                  label={`${spec.name}: ${text.join(', ')}`}
                />
              ) : (
                <span />
              )}
              <Box>
                {values.map((v, i) => (
                  <Typography
                    key={v.role ?? 'couple'}
                    variant="caption"
                    component="div"
                    sx={{ lineHeight: 1.25 }}
                  >
                    {v.role && (
                      <Box component="span" sx={{ color: `${v.role}.main`, fontWeight: 700 }}>
                        {v.role === 'leader' ? '■ ' : '● '}
                      </Box>
                    )}
                    {text[i]}
                  </Typography>
                ))}
                {hidden?.reading.seen === 'not_visible' && (
                  <Typography variant="caption" color="text.secondary">
                    not visible from this angle
                  </Typography>
                )}
              </Box>
            </Box>
          </Tooltip>
        );
      })}
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
        {rows.length > FEW && (
          <Button onClick={() => setWhole(!whole)} sx={{ px: 0.5, flex: 'none' }}>
            {whole ? 'Only the most telling' : `All ${rows.length} numbers`}
          </Button>
        )}
        {shown.some((r) => planar.includes(r.spec.id)) && (
          <Typography variant="caption" color="text.secondary" sx={{ lineHeight: 1.15 }}>
            * as seen in the picture, in the couple’s upright plane
          </Typography>
        )}
      </Box>
    </Panel>
  );
}

/** What the chart expects on a count. */
function Charted({ chart, count }: { chart: Schemas['Sketch']; count: number }) {
  const couple = coupleWords(chart.draft.couple?.find((c) => c.count === count));
  return (
    <Typography variant="caption" component="p" color="text.secondary" sx={{ m: 0, mb: 0.5 }}>
      Charted:{' '}
      {roles.map((role, r) => {
        const row = chart.rows[r]?.find((x) => x.count === count);
        return (
          <span key={role}>
            <Box component="span" sx={{ color: `${role}.main`, fontWeight: 700 }}>
              {role === 'leader' ? '■ ' : '● '}
            </Box>
            {row
              ? [`${row.foot} ${stepWords(row)}`, stepNotes(row)].filter(Boolean).join(', ')
              : '–'}{' '}
          </span>
        );
      })}
      {couple && `· ${couple}`}
    </Typography>
  );
}
