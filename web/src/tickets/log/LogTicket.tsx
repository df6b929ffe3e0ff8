import { useQuery } from '@tanstack/react-query';
import { Link as To } from 'react-router';
import { runsQuery } from '../../api';
import { useJob } from '../../frame/job';
import { Head, Quiet } from '../../parts/basics';
import { Price } from './Price';
import { Runs } from './Runs';
import { Sizes } from './Sizes';
import { Trainer } from './Trainer';

/** What the machine and the card have told of this job. */
export function LogTicket() {
  const { id } = useJob();
  const runs = useQuery(runsQuery(id));
  const over = runs.data?.filter((r) => r.ended !== null) ?? [];
  const good = over.filter((r) => r.good).length;
  return (
    <>
      <Head>
        <h1>
          {runs.data?.length ? `${good} good, ${over.length - good} scrap or broken off` : 'Nothing has been run yet'}
        </h1>
        <To to="/log">Log of the shop</To>
      </Head>
      {runs.error ? <p role="alert">{runs.error.message}</p> : null}
      {runs.data?.length ? (
        <>
          <Runs runs={runs.data} titles={false} />
          <Sizes />
        </>
      ) : (
        <Quiet>Each run leaves its readings, offsets, sizes, changed cutters, minutes and what went wrong here.</Quiet>
      )}
      <Price />
      <Trainer />
    </>
  );
}
