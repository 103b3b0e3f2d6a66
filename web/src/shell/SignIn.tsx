import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Card from '@mui/material/Card';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState, type FormEvent } from 'react';
import type { Schemas } from '../api/client';
import { useSignIn } from '../api/hooks';
import { RoleMark } from '../shapes/RoleMark';
import { Failure } from './State';

/** The first page. A demo shows its own name and password. */
export function SignIn({ demo }: { demo: Schemas['DemoSignIn'] | null | undefined }) {
  const [email, setEmail] = useState(demo?.email ?? '');
  const [password, setPassword] = useState(demo?.password ?? '');
  const signIn = useSignIn();
  const submit = (e: FormEvent) => {
    e.preventDefault();
    signIn.mutate({ email, password });
  };
  return (
    <Box component="main" sx={{ minHeight: '100vh', display: 'grid', placeItems: 'center', p: 2 }}>
      <Card sx={{ width: 400, p: 3 }}>
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}>
          <RoleMark role={null} />
          <Typography variant="h1" sx={{ fontSize: 22 }}>
            Upright Pair
          </Typography>
        </Box>
        <Typography sx={{ color: 'text.secondary', mb: 2 }}>
          From a phone clip of a couple to the one thing each should fix first.
        </Typography>
        <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 1.5 }}>
          <TextField
            label="E-mail address"
            type="email"
            autoComplete="username"
            required
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
          <Failure error={signIn.error} />
          <Button type="submit" variant="contained" size="large" loading={signIn.isPending}>
            Sign in
          </Button>
        </Box>
        {demo && (
          <Typography variant="body2" sx={{ mt: 2, color: 'text.secondary' }}>
            This is the demo studio. Sign in with <b>{demo.email}</b> and the password{' '}
            <b>{demo.password}</b>.
          </Typography>
        )}
      </Card>
    </Box>
  );
}
