const RETRY_MS = 700;

interface Hands {
  onOpen: () => void;
  onText: (text: string) => void;
  /** The connection is lost: for good when it was closed, else another is tried for. */
  onLost: (forGood: boolean) => void;
}

/** A socket to the server that opens again by itself until it is closed. */
export class LastingSocket {
  private socket: WebSocket | null = null;
  private closed = false;

  constructor(
    private readonly path: string,
    private readonly hands: Hands,
  ) {
    this.open();
  }

  /** Send a text; false when there is no connection. */
  send(text: string): boolean {
    if (this.socket?.readyState !== WebSocket.OPEN) return false;
    this.socket.send(text);
    return true;
  }

  close(): void {
    this.closed = true;
    this.socket?.close();
  }

  private open(): void {
    if (this.closed) return;
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}${this.path}`);
    this.socket = socket;
    socket.onopen = () => !this.closed && this.hands.onOpen();
    socket.onmessage = (event: MessageEvent<string>) => !this.closed && this.hands.onText(event.data);
    socket.onclose = () => {
      this.hands.onLost(this.closed);
      if (!this.closed) setTimeout(() => this.open(), RETRY_MS);
    };
  }
}
