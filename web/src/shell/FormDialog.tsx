import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useId, type ReactNode } from 'react';
import { Failure } from './State';

/** A question with its fields, one action and a way out; says in words why the action was refused. */
export function FormDialog({
  title,
  wide = false,
  action = 'Save',
  actionFirst = false,
  disabled = false,
  busy = false,
  error,
  onSubmit,
  onClose,
  children,
}: {
  title: ReactNode;
  wide?: boolean;
  action?: string;
  /** Enter carries it out at once. */
  actionFirst?: boolean;
  disabled?: boolean;
  busy?: boolean;
  error: Error | null;
  onSubmit: () => void;
  onClose: () => void;
  children: ReactNode;
}) {
  const id = useId();
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth={wide ? 'sm' : 'xs'} aria-labelledby={id}>
      <Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          onSubmit();
        }}
      >
        <DialogTitle id={id} sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
          {title}
        </DialogTitle>
        <DialogContent>
          <Box sx={{ display: 'grid', gap: 1.5, pt: 1 }}>{children}</Box>
          <Failure error={error} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            type="submit"
            variant="contained"
            autoFocus={actionFirst}
            disabled={disabled}
            loading={busy}
          >
            {action}
          </Button>
        </DialogActions>
      </Box>
    </Dialog>
  );
}
