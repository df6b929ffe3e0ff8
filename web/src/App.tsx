import { useQuery } from '@tanstack/react-query';
import { Route, Routes } from 'react-router';
import { ThemeProvider } from 'styled-components';
import { meQuery, Refused } from './api';
import { JobPage } from './frame/JobPage';
import { Messages } from './frame/Messages';
import { themeName, useStore } from './frame/settings';
import { SignIn } from './frame/SignIn';
import { Global } from './parts/Global';
import { desk, machine } from './parts/theme';
import { BookPage } from './shop/BookPage';
import { ShopPage } from './shop/ShopPage';
import { Bench } from './tickets/bench/Bench';

export function App() {
  const name = useStore(themeName);
  const me = useQuery(meQuery);
  const out = me.error instanceof Refused && me.error.status === 401;
  return (
    <ThemeProvider theme={name === 'desk' ? desk : machine}>
      <Global />
      {me.isPending ? null : out ? (
        <SignIn />
      ) : me.error ? (
        <SignIn trouble={me.error.message} />
      ) : (
        <Routes>
          <Route path="/jobs/:id/:ticket?" element={<JobPage me={me.data} />} />
          <Route path="/shop" element={<ShopPage me={me.data} />} />
          <Route path="/shop/:chapter" element={<BookPage me={me.data} />} />
          <Route path="*" element={<Bench me={me.data} />} />
        </Routes>
      )}
      <Messages />
    </ThemeProvider>
  );
}
