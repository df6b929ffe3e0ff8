/// <reference lib="webworker" />
// One stream of events for all windows of a browser: a browser opens only six connections to a house, and a stream holds one for good.

const scope = self as unknown as SharedWorkerGlobalScope;
const ports = new Set<MessagePort>();
let source: EventSource | null = null;
let again: ReturnType<typeof setTimeout> | undefined;

function tell(name: string, data: string) {
  for (const p of ports) p.postMessage({ name, data });
}

function open() {
  clearTimeout(again);
  if (source || ports.size === 0) return;
  source = new EventSource('/api/events');
  for (const name of ['bench', 'card', 'gone']) {
    source.addEventListener(name, (e) => {
      tell(name, (e as MessageEvent<string>).data);
    });
  }
  source.onerror = () => {
    // A refusal ends it; a break is mended by the browser itself.
    if (source?.readyState !== EventSource.CLOSED) return;
    source = null;
    again = setTimeout(open, 3000);
  };
}

scope.onconnect = (e) => {
  const port = e.ports[0];
  if (!port) return;
  port.onmessage = (m: MessageEvent<string>) => {
    if (m.data === 'hello') {
      ports.add(port);
      open();
    } else {
      ports.delete(port);
      if (ports.size === 0) {
        source?.close();
        source = null;
      }
    }
  };
  port.start();
};
