import { useEffect, useRef, type ReactNode } from 'react';
import { Dialog, Heading, Modal as AriaModal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';
import { Button } from './basics';

const Veil = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 50;
  display: grid;
  place-items: center;
  background: rgb(15 17 20 / 45%);
`;

const Box = styled(AriaModal)`
  background: ${(p) => p.theme.card};
  color: ${(p) => p.theme.ink};
  border: 1px solid ${(p) => p.theme.ink};
  border-top: 5px solid ${(p) => p.theme.blue};
  width: min(680px, 94vw);
  max-height: 86vh;
  overflow: auto;
  padding: 16px 24px 20px;
  > section {
    outline: none;
  }
  .row {
    display: flex;
    justify-content: space-between;
    align-items: center;
    margin-bottom: 8px;
  }
`;

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  /** Its button is for a glove. */
  glove?: boolean;
  children: ReactNode;
}

export function Modal({ title, open, onClose, glove = false, children }: Props) {
  const dialog = useRef<HTMLElement>(null);
  useEffect(() => {
    if (!open) return undefined;
    // A button that goes when it is pressed takes the focus with it; the keys stay in here.
    const look = window.setInterval(() => {
      if (document.activeElement === document.body) dialog.current?.focus();
    }, 200);
    return () => window.clearInterval(look);
  }, [open]);
  return (
    <Veil isOpen={open} onOpenChange={(o) => !o && onClose()} isDismissable>
      <Box>
        <Dialog ref={dialog}>
          <div className="row">
            <Heading slot="title" level={2}>
              {title}
            </Heading>
            <Button $small={!glove} style={glove ? { minHeight: 48, minWidth: 88 } : undefined} onPress={onClose}>
              Close
            </Button>
          </div>
          {children}
        </Dialog>
      </Box>
    </Veil>
  );
}
