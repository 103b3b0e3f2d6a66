import Info from '@mui/icons-material/InfoOutlined';
import Check from '@mui/icons-material/TaskAltOutlined';
import Warning from '@mui/icons-material/ReportProblemOutlined';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import type { Schemas } from '../api/client';

type Problem = Schemas['ChartProblem'];

const sign = {
  stops: <Warning titleAccess="stops" sx={{ fontSize: 18, color: 'caution.main' }} />,
  excepted: <Check titleAccess="meant so" sx={{ fontSize: 18 }} />,
  advice: <Info titleAccess="advice" sx={{ fontSize: 18 }} />,
};

/** Everything the checks say, worst first; in the editor each leads to its line. */
export function Problems({
  problems,
  onGo,
  onMend,
}: {
  problems: Problem[];
  onGo?: (problem: Problem) => void;
  onMend?: (text: string) => void;
}) {
  return (
    <Box component="ul" aria-label="Problems" sx={{ m: 0, p: 0, listStyle: 'none' }}>
      {problems.map((p, i) => (
        <Box
          component="li"
          key={i}
          data-rule={p.rule}
          sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', py: 0.5 }}
        >
          {sign[p.severity]}
          <Typography variant="body2" sx={{ flex: 1 }}>
            {onGo && (
              <Link
                component="button"
                type="button"
                variant="body2"
                onClick={() => onGo(p)}
                sx={{ mr: 0.75, verticalAlign: 'baseline' }}
              >
                Line {p.line}
              </Link>
            )}
            {p.sentence}
            {p.suggestion && (
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {' '}
                {p.suggestion}
              </Box>
            )}
          </Typography>
          {onMend && p.mended != null && (
            <Button variant="outlined" onClick={() => onMend(p.mended ?? '')}>
              Mend
            </Button>
          )}
        </Box>
      ))}
    </Box>
  );
}
