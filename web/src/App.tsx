import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { Route, Routes, useLocation } from 'react-router';
import { ThemeProvider } from 'styled-components';
import { away, meQuery, Refused } from './api';
import { JobPage } from './frame/JobPage';
import { Messages } from './frame/Messages';
import { themeName, useStore } from './frame/settings';
import { SignIn } from './frame/SignIn';
import { Global } from './parts/Global';
import { desk, machine } from './parts/theme';
import { BookPage } from './shop/BookPage';
import { ShopPage } from './shop/ShopPage';
import { keepMe, keptMe } from './run/kept';
import { CardPage } from './run/CardPage';
import { TrainPage } from './train/TrainPage';
import { LogPage } from './tickets/log/LogPage';
import { Bench } from './tickets/bench/Bench';

export function App() {
  const name = useStore(themeName);
  const location = useLocation();
  const me = useQuery(meQuery);
  const out = me.error instanceof Refused && me.error.status === 401;
  useEffect(() => {
    if (me.data) keepMe(me.data);
  }, [me.data]);
  // A card goes on while the house is away, under the name of who was signed in here.
  const alone = me.isPending || (me.error && away(me.error)) ? keptMe() : null;
  const card = location.pathname.startsWith('/run/') ? (me.data ?? alone) : null;
  return (
    <ThemeProvider theme={name === 'desk' ? desk : machine}>
      <Global />
      {card && !out ? (
        <Routes>
          <Route path="/run/:job/:run" element={<CardPage me={card} />} />
          <Route path="*" element={null} />
        </Routes>
      ) : me.isPending ? null : out ? (
        <SignIn />
      ) : me.error ? (
        <SignIn trouble={me.error.message} />
      ) : (
        <Routes>
          <Route path="/jobs/:id/:ticket?" element={<JobPage me={me.data} />} />
          <Route path="/run/:job/:run" element={<CardPage me={me.data} />} />
          <Route path="/train/:job/:round" element={<TrainPage me={me.data} />} />
          <Route path="/log" element={<LogPage me={me.data} />} />
          <Route path="/shop" element={<ShopPage me={me.data} />} />
          <Route path="/shop/:chapter" element={<BookPage me={me.data} />} />
          <Route path="*" element={<Bench me={me.data} />} />
        </Routes>
      )}
      <Messages />
    </ThemeProvider>
  );
}
