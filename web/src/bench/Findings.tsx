import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import ButtonBase from '@mui/material/ButtonBase';
import Chip from '@mui/material/Chip';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { useCatalogue } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { bandText, frequencyName, plural, reading } from '../words';
import { findingKey } from './cells';
import { Panel } from './Panel';

type Judged = Schemas['Judged'];

interface Acts {
  chosen: string | null;
  choose: (j: Judged) => void;
  confirm: (j: Judged) => void;
  dismiss: (j: Judged) => void;
  withdraw: (decision: string) => void;
  /** Says what to fix first, in this order; nothing for the usual order. */
  order: (first: Schemas['FindingKey'][]) => void;
  /** Logs what only the coach sees. */
  add: () => void;
  /** Goes to where something that is not sure shows most. */
  look: (j: Judged) => void;
  /** Logs it as what the coach sees there. */
  see: (j: Judged) => void;
  /** Looks for a place of the phone from which a measure can be told. */
  spots: (measure: string | null) => void;
  /** Opens by what the couple is judged. */
  rules: () => void;
}

/** What its return, or its absence, in other repetitions changed about what it shows in. */
function returnText({ evidence }: Judged) {
  const has = (again: Schemas['Again']) => evidence.some((e) => e.again === again);
  if (has('surer')) return ' · surer because it comes again';
  return has('less_sure') ? ' · less sure because it does not come again' : '';
}

/** Whose a couple's fault is. */
function shareText(share: Schemas['Estimate']) {
  const leader = Math.round(100 * share.value);
  const error = Math.round(100 * share.sigma);
  return leader >= 50
    ? `leader’s share ${leader} % ± ${error}`
    : `follower’s share ${100 - leader} % ± ${error}`;
}

const grades: Record<Schemas['Grade'], string> = {
  fine: 'fine on average',
  borderline: 'borderline',
  clear: 'clear',
  strong: 'strong',
};

/** What to fix first; effects are folded under their cause. */
export function Findings({
  analysis,
  decisions,
  chart,
  ordered,
  acts,
}: {
  analysis: Schemas['Analysis'];
  decisions: Schemas['Decision'][];
  chart: Schemas['Sketch'] | undefined;
  /** What the coach has put first. */
  ordered: Schemas['FindingKey'][];
  acts: Acts;
}) {
  const showing = analysis.judged.filter((j) => j.showing > 0);
  const fine = analysis.judged.filter((j) => j.call === 'fine');
  const rough = analysis.judged.filter((j) => j.call === 'too_rough');
  const catalogue = useCatalogue();
  const names = (list: { fault: string }[]) =>
    [
      ...new Set(
        list.map((j) => catalogue.data?.faults.find((f) => f.id === j.fault)?.name ?? j.fault),
      ),
    ].join(', ');
  const [all, setAll] = useState(false);
  const faultsOf = (list: { fault: string }[]) => new Set(list.map((j) => j.fault)).size;
  const lines = analysis.judged.filter((j) => j.showing > 0 && !explained(analysis, j));
  const move = (j: Judged, by: number) => {
    const first = lines.map(({ fault, role }) => ({ fault, role }));
    const from = lines.indexOf(j);
    first.splice(from + by, 0, ...first.splice(from, 1));
    acts.order(first);
  };
  const open = showing.filter((j) => !decisions.some((d) => findingKey(d) === findingKey(j)));
  return (
    <Panel title="Fix first" note={showing.length ? `${open.length} to decide` : undefined}>
      {showing.length === 0 && (
        <Typography variant="body2" color="text.secondary">
          {analysis.judged.length === 0
            ? 'Findings appear as soon as steps or bodies are marked.'
            : fine.length === analysis.judged.length
              ? 'Nothing lies outside its fine band.'
              : 'Nothing is sure enough to be called a fault.'}
        </Typography>
      )}
      {analysis.judged.map((j, i) => {
        if (j.showing === 0 || (j.explained_by != null && explained(analysis, j))) return null;
        const effects = analysis.judged.filter(
          (e) => e.showing > 0 && root(analysis, e) === i && e !== j,
        );
        return (
          <Box key={findingKey(j)}>
            <Finding
              j={j}
              decisions={decisions}
              chart={chart}
              acts={acts}
              earlier={j === lines[0] ? undefined : () => move(j, -1)}
              later={j === lines.at(-1) ? undefined : () => move(j, 1)}
            />
            {effects.map((e) => (
              <Box key={findingKey(e)} sx={{ ml: 2, pl: 1, borderLeft: 2, borderColor: 'divider' }}>
                <Finding j={e} decisions={decisions} chart={chart} acts={acts} effect />
              </Box>
            ))}
          </Box>
        );
      })}
      {ordered.length > 0 && (
        <Typography variant="caption" component="p" color="text.secondary" sx={{ mt: 0.5 }}>
          In your order.{' '}
          <Link component="button" variant="caption" onClick={() => acts.order([])}>
            Back to the usual order
          </Link>
        </Typography>
      )}
      <ByEye analysis={analysis} decisions={decisions} acts={acts} />
      <Unsure analysis={analysis} decisions={decisions} chart={chart} acts={acts} />
      <Box sx={{ display: 'flex', gap: 1, mt: 0.75 }}>
        <Button onClick={acts.add}>Add what you see</Button>
        <Button onClick={acts.rules}>Schools and bands</Button>
      </Box>
      {fine.length > 0 && (
        <Typography variant="caption" component="p" color="text.secondary" sx={{ mt: 0.75 }}>
          Looked at and fine: {all ? names(fine) : plural(faultsOf(fine), 'fault')}.{' '}
          <Link
            component="button"
            variant="caption"
            aria-expanded={all}
            onClick={() => setAll(!all)}
          >
            {all ? 'Fewer words' : 'Which?'}
          </Link>
        </Typography>
      )}
      {rough.length > 0 && (
        <Typography variant="caption" component="p" color="text.secondary" sx={{ mt: 0.5 }}>
          Read too roughly to be called fine, each with where a phone would tell:{' '}
          <FaultLinks faults={rough} acts={acts} />.
        </Typography>
      )}
      {analysis.unseen.length > 0 && (
        <Typography variant="caption" component="p" color="text.secondary" sx={{ mt: 0.5 }}>
          Not visible from this angle, each with where a phone would see it:{' '}
          <FaultLinks faults={analysis.unseen} acts={acts} />. {analysis.unseen[0]?.why}
        </Typography>
      )}
    </Panel>
  );
}

/** So many faults are named in a line of them at first. */
const IN_LINE = 8;

/** Faults by name, each with where a phone would see it. */
function FaultLinks({ faults, acts }: { faults: { fault: string }[]; acts: Acts }) {
  const catalogue = useCatalogue();
  const [all, setAll] = useState(false);
  const ids = [...new Set(faults.map((f) => f.fault))];
  return (
    <>
      {ids.slice(0, all ? undefined : IN_LINE).map((id, i) => {
        const entry = catalogue.data?.faults.find((f) => f.id === id);
        return (
          <span key={id}>
            {i > 0 && ', '}
            <Link
              component="button"
              variant="caption"
              onClick={() => acts.spots(entry?.measure ?? null)}
            >
              {entry?.name ?? id}
            </Link>
          </span>
        );
      })}
      {ids.length > IN_LINE && (
        <>
          {' · '}
          <Link
            component="button"
            variant="caption"
            aria-expanded={all}
            onClick={() => setAll(!all)}
          >
            {all ? 'Fewer' : `${ids.length - IN_LINE} more`}
          </Link>
        </>
      )}
    </>
  );
}

/** A fault by its name and the dancer's part, told apart where both have it. */
const spoken = (name: string, role: string | null | undefined) => `${name}, ${role ?? 'couple'}`;

/** So many are named at first. */
const NAMED = 3;

/** What may be a fault and may not: likeliest first, for the coach's eye. */
function Unsure({
  analysis,
  decisions,
  chart,
  acts,
}: {
  analysis: Schemas['Analysis'];
  decisions: Schemas['Decision'][];
  chart: Schemas['Sketch'] | undefined;
  acts: Acts;
}) {
  const catalogue = useCatalogue();
  const [all, setAll] = useState(false);
  const unsure = analysis.judged
    .filter((j) => j.call === 'unsure')
    .filter((j) => !decisions.some((d) => findingKey(d) === findingKey(j)));
  if (unsure.length === 0) return null;
  return (
    <Box component="section" aria-label="Not sure" sx={{ mt: 0.75 }}>
      <Typography variant="caption" component="h3" color="text.secondary">
        Not sure: look yourself, or mark the count by hand
      </Typography>
      {unsure.slice(0, all ? undefined : NAMED).map((j) => {
        const name = catalogue.data?.faults.find((f) => f.id === j.fault)?.name ?? j.fault;
        const count = j.count == null ? undefined : chart?.pattern.marks[j.count]?.label;
        return (
          <Box key={findingKey(j)} sx={{ display: 'flex', gap: 1, alignItems: 'center', py: 0.25 }}>
            <RoleMark role={j.role} hollow />
            <Box sx={{ flex: 1 }}>
              <Typography variant="body2">
                {name}
                {count && ` at ${count}`}
              </Typography>
              <Typography variant="caption" component="p" color="text.secondary">
                {reading(j.measure, j.value, j.unit)} · fine: {bandText(j.band, j.unit)} · up to{' '}
                {Math.round(100 * j.likeliest)} % sure in {j.unsure} of {j.of} repetitions
              </Typography>
            </Box>
            <Button onClick={() => acts.look(j)} aria-label={`Look: ${spoken(name, j.role)}`}>
              Look
            </Button>
            <Button onClick={() => acts.see(j)} aria-label={`I see it: ${spoken(name, j.role)}`}>
              I see it
            </Button>
          </Box>
        );
      })}
      {unsure.length > NAMED && (
        <Link component="button" variant="caption" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? 'Fewer' : `${unsure.length - NAMED} more`}
        </Link>
      )}
    </Box>
  );
}

/** What the coach added that the tool has no finding of. */
function ByEye({
  analysis,
  decisions,
  acts,
}: {
  analysis: Schemas['Analysis'];
  decisions: Schemas['Decision'][];
  acts: Acts;
}) {
  const catalogue = useCatalogue();
  const found = new Set(analysis.judged.filter((j) => j.showing > 0).map((j) => findingKey(j)));
  const added = decisions.filter((d) => d.verdict === 'confirmed' && !found.has(findingKey(d)));
  return added.map((d) => {
    const name = catalogue.data?.faults.find((f) => f.id === d.fault)?.name ?? d.fault;
    return (
      <Box
        key={d.id}
        sx={{
          display: 'flex',
          gap: 1,
          alignItems: 'center',
          borderTop: 1,
          borderColor: 'divider',
          py: 0.5,
        }}
      >
        <RoleMark role={d.role === 'couple' ? null : d.role} />
        <Typography variant="body2" sx={{ flex: 1 }}>
          {name}
          <Typography variant="caption" component="span" color="text.secondary">
            {' '}
            · seen by eye, in the log
          </Typography>
        </Typography>
        <Button
          onClick={() => acts.withdraw(d.id)}
          aria-label={`Take back: ${spoken(name, d.role)}`}
        >
          Take back
        </Button>
      </Box>
    );
  });
}

/** Follows the causes of a finding to the first one; its place in the list. */
function root(analysis: Schemas['Analysis'], j: Judged) {
  let at = analysis.judged.indexOf(j);
  for (let hops = 0; hops < 8; hops++) {
    const by = analysis.judged[at]?.explained_by;
    if (by == null || analysis.judged[by]?.showing === 0) break;
    at = by;
  }
  return at;
}

const explained = (analysis: Schemas['Analysis'], j: Judged) =>
  root(analysis, j) !== analysis.judged.indexOf(j);

function Finding({
  j,
  decisions,
  chart,
  acts,
  effect = false,
  earlier,
  later,
}: {
  j: Judged;
  decisions: Schemas['Decision'][];
  chart: Schemas['Sketch'] | undefined;
  acts: Acts;
  effect?: boolean;
  /** Moves it up or down, where it can be. */
  earlier?: () => void;
  later?: () => void;
}) {
  const catalogue = useCatalogue();
  const fault = catalogue.data?.faults.find((f) => f.id === j.fault);
  const topic = catalogue.data?.topics.find((t) => t.id === j.school?.topic);
  const school = topic?.choices.find((c) => c.id === j.school?.choice)?.name;
  const decided = decisions.find((d) => findingKey(d) === findingKey(j));
  const chosen = acts.chosen === findingKey(j);
  const count = j.count == null ? undefined : chart?.pattern.marks[j.count]?.label;
  const name = fault?.name ?? j.fault;
  const order = chosen && (earlier || later) && (
    <Box sx={{ display: 'flex', ml: 'auto' }}>
      <Button
        onClick={earlier}
        disabled={!earlier}
        aria-label={`Fix earlier: ${spoken(name, j.role)}`}
      >
        Earlier
      </Button>
      <Button onClick={later} disabled={!later} aria-label={`Fix later: ${spoken(name, j.role)}`}>
        Later
      </Button>
    </Box>
  );
  return (
    <Box
      sx={{
        borderTop: 1,
        borderColor: 'divider',
        py: 0.75,
        px: 0.5,
        mx: -0.5,
        borderRadius: chosen ? 1 : 0,
        bgcolor: chosen ? 'action.selected' : undefined,
      }}
    >
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <RoleMark role={j.role} hollow={effect} />
        <ButtonBase
          onClick={() => acts.choose(j)}
          aria-pressed={chosen}
          sx={{
            flex: 1,
            justifyContent: 'flex-start',
            textAlign: 'left',
            borderRadius: 0.5,
            minHeight: 24,
          }}
        >
          <Typography variant="body2" sx={{ fontWeight: effect ? 400 : 700 }}>
            {name}
            {count && ` at ${count}`}
          </Typography>
        </ButtonBase>
        <Chip
          size="small"
          label={effect ? 'effect' : frequencyName(j.frequency)}
          color={!effect && j.frequency === 'habit' ? 'primary' : undefined}
          variant={!effect && j.frequency === 'habit' ? 'filled' : 'outlined'}
        />
      </Box>
      <Typography variant="caption" component="p" color="text.secondary" sx={{ my: 0.25 }}>
        {j.showing} of {j.of} repetitions · {reading(j.measure, j.value, j.unit)} · fine:{' '}
        {bandText(j.band, j.unit)} · {grades[j.grade]},{' '}
        {Math.round(Math.min(99, 100 * j.probability))} % sure
        {effect &&
          ` · explained by the line above${j.explained == null ? '' : `, about ${Math.round(100 * j.explained)} %`}`}
        {j.share && ` · ${shareText(j.share)}`}
        {chosen && j.seen && ` · the film alone says ${reading(j.measure, j.seen, j.unit)}`}
        {chosen && j.because.map((b) => ` · ${b}`).join('')}
        {chosen && returnText(j)}
        {chosen && j.rough > 0 && ` · ${j.rough} read too roughly to be called fine`}
        {chosen && school && ` · school: ${school}`}
      </Typography>
      {fault?.caution && chosen && (
        <Typography variant="caption" component="p" sx={{ color: 'caution.main', mb: 0.5 }}>
          {fault.caution}
        </Typography>
      )}
      {decided ? (
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
          <Typography variant="caption" sx={{ flex: 1 }}>
            {decided.verdict === 'confirmed' ? '✓ In the log' : `Dismissed: ${decided.reason}`}
          </Typography>
          <Button
            onClick={() => acts.withdraw(decided.id)}
            aria-label={`Take back: ${spoken(name, j.role)}`}
          >
            Take back
          </Button>
          {order}
        </Box>
      ) : (
        <Box sx={{ display: 'flex', gap: 1 }}>
          <Button
            variant="contained"
            onClick={() => acts.confirm(j)}
            aria-label={`Confirm: ${spoken(name, j.role)}`}
          >
            Confirm
          </Button>
          <Button onClick={() => acts.dismiss(j)} aria-label={`Dismiss: ${spoken(name, j.role)}`}>
            Dismiss
          </Button>
          {order}
        </Box>
      )}
    </Box>
  );
}
