// A connection to the server that comes back when it is lost: after a moment, then after twice as long each time.

const FIRST_MS = 150;
const MOST_MS = 2000;

export function socketAddress(path) {
  return `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${path}`;
}

export class Connection {
  // took(buffer): a frame came. opened(): it is there, again or for the first time. lost(code): it is gone, or could not
  // be had; it comes back unless that returns false. world: whose sockets and clock are used.
  constructor(path, { took, opened = () => {}, lost = (_code) => true }, world = globalThis) {
    this.path = path;
    this.took = took;
    this.opened = opened;
    this.lost = lost;
    this.world = world;
    this.wait = FIRST_MS;
    this.open();
  }

  open() {
    const socket = new this.world.WebSocket(socketAddress(this.path));
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      this.wait = FIRST_MS;
      this.opened();
    };
    socket.onmessage = (event) => this.took(event.data);
    socket.onclose = ({ code }) => {
      if (this.lost(code) === false) return;
      this.world.setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(this.wait * 2, MOST_MS);
    };
    this.socket = socket;
  }

  // Sends a frame; whether there is a connection that takes it.
  send(buffer) {
    if (this.socket.readyState !== this.world.WebSocket.OPEN) return false;
    this.socket.send(buffer);
    return true;
  }

  // Ends this connection; it comes back as after a loss.
  drop() {
    this.socket.close();
  }
}
