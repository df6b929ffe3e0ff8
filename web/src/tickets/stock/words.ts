import type { Fit, Role } from '../../api/types';
import type { StampKind } from '../../parts/Stamp';

export const FITS: Record<Fit, { words: string; kind: StampKind }> = {
  fits: { words: 'fits', kind: 'decided' },
  tight: { words: 'tight', kind: 'answer' },
  no_hat: { words: 'no hat', kind: 'answer' },
  too_large: { words: 'too large', kind: 'stop' },
  too_small: { words: 'too small', kind: 'stop' },
};

export const ROLES: Record<Role, string> = {
  top: 'top, faced first',
  bottom: 'bottom, gripped as a hat',
  gripped: 'between the jaws',
  end: 'end',
  around: 'around',
  faced: 'end, faced',
  held: 'end, held and parted off',
};
