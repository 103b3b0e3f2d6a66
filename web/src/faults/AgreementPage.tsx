import Card from '@mui/material/Card';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import Box from '@mui/material/Box';
import { Link } from 'react-router';
import { useAgreement } from '../api/hooks';
import { Empty, Loaded } from '../shell/State';
import { bandText, plural } from '../words';
import { FaultsPlace } from './FaultsPlace';

const percent = (share: number) => `${Math.round(100 * share)} %`;

/** How often the coach agrees with the tool, by fault and by how sure it was. */
export function AgreementPage() {
  const agreement = useAgreement();
  return (
    <FaultsPlace>
      <Loaded of={agreement}>
        {(all) =>
          all.faults.length === 0 ? (
            <Empty title="Nothing decided yet.">
              Confirm or dismiss findings on the Bench; here you see how often the tool was right.
            </Empty>
          ) : (
            <Box
              sx={{
                display: 'grid',
                gridTemplateColumns: '1fr 320px',
                gap: 1.5,
                alignItems: 'start',
              }}
            >
              <Card component="section" sx={{ p: 2 }}>
                <Typography variant="h2" sx={{ mb: 1 }}>
                  By fault
                </Typography>
                <Table>
                  <TableHead>
                    <TableRow>
                      <TableCell>Fault</TableCell>
                      <TableCell align="right">Confirmed</TableCell>
                      <TableCell align="right">Dismissed</TableCell>
                      <TableCell>Right</TableCell>
                      <TableCell>The tool was</TableCell>
                    </TableRow>
                  </TableHead>
                  <TableBody>
                    {all.faults.map(({ fault, name, unit, agreement: a, fewer, findings }) => (
                      <TableRow key={fault}>
                        <TableCell>
                          <Link to={`/faults?fault=${fault}`}>{name}</Link>
                          {a.suggestion && unit && (
                            <Typography variant="body2" color="text.secondary">
                              Your decisions fit a band of {bandText(a.suggestion.band, unit)}. It
                              would spare {plural(a.suggestion.spares, 'dismissed finding')}, miss{' '}
                              {a.suggestion.misses} you confirmed, and make {fewer} of{' '}
                              {plural(findings, 'finding')} in past takes fine. Adapt the fault if
                              you want it so.
                            </Typography>
                          )}
                        </TableCell>
                        <TableCell align="right">{a.confirmed}</TableCell>
                        <TableCell align="right">{a.dismissed}</TableCell>
                        <TableCell sx={{ whiteSpace: 'nowrap' }}>
                          {percent(a.precision[0] ?? 0)} to {percent(a.precision[1] ?? 1)}
                        </TableCell>
                        <TableCell sx={{ whiteSpace: 'nowrap' }}>{percent(a.said)} sure</TableCell>
                      </TableRow>
                    ))}
                  </TableBody>
                </Table>
              </Card>
              <Card component="section" sx={{ p: 2 }}>
                <Typography variant="h2" sx={{ mb: 1 }}>
                  How sure, how often right
                </Typography>
                <Table>
                  <TableHead>
                    <TableRow>
                      <TableCell>Said</TableCell>
                      <TableCell align="right">Confirmed</TableCell>
                      <TableCell align="right">Decisions</TableCell>
                    </TableRow>
                  </TableHead>
                  <TableBody>
                    {all.calibration.map((t) => (
                      <TableRow key={t.said}>
                        <TableCell>{percent(t.said)}</TableCell>
                        <TableCell align="right">{percent(t.confirmed)}</TableCell>
                        <TableCell align="right">{t.of}</TableCell>
                      </TableRow>
                    ))}
                  </TableBody>
                </Table>
                <Typography variant="caption" color="text.secondary" component="p" sx={{ mt: 1 }}>
                  Both agree when the two shares of a line are alike.
                </Typography>
              </Card>
            </Box>
          )
        }
      </Loaded>
    </FaultsPlace>
  );
}
