import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link as To } from 'react-router';
import styled, { useTheme } from 'styled-components';
import { api, type Me } from '../api';
import { Button, Either, Sr } from '../parts/basics';
import { forget } from '../run/kept';
import { refuse, themeName, useStore } from './settings';

export function Mark({ size }: { size: number }) {
  const t = useTheme();
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden>
      <path
        d="M25 7c-6-4-16-3-19 4-3 8 3 15 11 14 6-1 8-8 4-12-3-3-9-2-9 2 0 3 4 4 5 1"
        fill="none"
        stroke={t.brass}
        strokeWidth="3.4"
        strokeLinecap="round"
      />
    </svg>
  );
}

const Bar = styled.header`
  height: 40px;
  flex: none;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 16px;
  border-bottom: 1px solid ${(p) => p.theme.rule};
  .home {
    display: flex;
    align-items: center;
    gap: 10px;
    color: inherit;
    text-decoration: none;
    font-weight: 600;
  }
  .right {
    margin-left: auto;
    display: flex;
    align-items: center;
    gap: 10px;
  }
  .words {
    color: ${(p) => p.theme.quiet};
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
`;

interface Props {
  me: Me;
  title: string;
  words: string;
  /** Buttons before the person's name. */
  children?: ReactNode;
}

export function Top({ me, title, words, children }: Props) {
  const name = useStore(themeName);
  const client = useQueryClient();
  const out = async () => {
    try {
      await api.act('DELETE', '/api/session');
      forget();
      client.clear();
      location.assign('/');
    } catch (e) {
      refuse(e);
    }
  };
  return (
    <Bar>
      <To to="/" className="home">
        <Mark size={24} />
        <span>{title}</span>
        <Sr>, to the bench</Sr>
      </To>
      <span className="words">{words}</span>
      <div className="right">
        {children}
        <Button $small onPress={() => themeName.set(name === 'desk' ? 'machine' : 'desk')}>
          <Either of="Light:" words={['Desk', 'machine']} second={name !== 'desk'} />
        </Button>
        <span>{me.name}</span>
        <Button $small onPress={out}>
          Sign out
        </Button>
      </div>
    </Bar>
  );
}
