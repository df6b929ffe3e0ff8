import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import styled from 'styled-components';
import { api } from '../api';
import type { Sample as Told } from '../api/types';
import type { Entry } from '../model/book';
import { Quiet } from '../parts/basics';

const Text = styled.div`
  max-height: 320px;
  overflow: auto;
  border: 1px solid ${(p) => p.theme.edge};
  background: ${(p) => p.theme.sunk};
  padding: 4px 8px;
  p {
    margin: 0;
    font-family: 'IBM Plex Mono', monospace;
    font-size: 13px;
    white-space: pre-wrap;
  }
  small {
    display: block;
    font-size: 12.5px;
    color: ${(p) => p.theme.quiet};
    margin: 0 0 3px 14px;
  }
`;

const Wrong = styled.p`
  border-left: 5px solid ${(p) => p.theme.red};
  padding-left: 8px;
  margin: 6px 0;
`;

/** A short program as this control would have it, read back as it is typed. */
export function Sample({ entry }: { entry: Entry }) {
  const now = JSON.stringify(entry);
  const [asked, setAsked] = useState(now);
  useEffect(() => {
    const later = setTimeout(() => setAsked(now), 250);
    return () => clearTimeout(later);
  }, [now]);
  const told = useQuery({
    queryKey: ['sample', asked],
    queryFn: () => api.post<Told>('/api/book/sample', JSON.parse(asked)),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <section aria-label="A sample, read back">
      <b>A sample, read back</b>
      {told.isError ? <Wrong role="status">No sample: {told.error.message}</Wrong> : null}
      {told.data?.fault ? <Wrong role="status">{told.data.fault}</Wrong> : null}
      {told.data && !told.data.fault ? (
        <Quiet as="p" role="status">
          What is written is what is read: {told.data.lines.length} lines.
        </Quiet>
      ) : null}
      <Text role="group" aria-label="Sample program" tabIndex={0}>
        {told.data?.lines.map((l) => (
          <div key={l.line}>
            <p>{l.text}</p>
            {l.words || l.comes ? <small>{[l.words, l.comes].filter(Boolean).join(' | ')}</small> : null}
          </div>
        ))}
      </Text>
    </section>
  );
}
