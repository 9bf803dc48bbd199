// A client of Snelk in plain JavaScript, without dependencies: copy it into your game.
//
// It starts `snelk serve SCENARIO --stdio` and talks to it in lines. In a browser, or in a Node that has WebSocket, the same messages
// go over a socket: see `overSocket`.

import { spawn } from "node:child_process";
import { createInterface } from "node:readline";

export class Snelk {
  #send;
  #close;
  #waiting = new Map();
  #last = 0;

  constructor(send, close) {
    this.#send = send;
    this.#close = close;
  }

  /** Start Snelk as a process of its own, `command` being how: ["snelk", "serve", "night.toml", "--stdio"]. */
  static overLines(command) {
    const child = spawn(command[0], command.slice(1), { stdio: ["pipe", "pipe", "inherit"] });
    const gone = new Promise((resolve) => child.on("close", resolve));
    const close = async () => {
      child.stdin.end();
      await gone;
    };
    const snelk = new Snelk((text) => child.stdin.write(text + "\n"), close);
    createInterface({ input: child.stdout }).on("line", (line) => snelk.#hear(line));
    child.on("close", () => snelk.#leave("Snelk has ended; see above why"));
    child.on("error", (error) => snelk.#leave(`Snelk could not be started: ${error.message}`));
    return snelk;
  }

  /** Talk to a Snelk that is already present: `snelk serve night.toml` prints the address. */
  static overSocket(address) {
    return new Promise((resolve, reject) => {
      const socket = new WebSocket(address);
      const snelk = new Snelk((text) => socket.send(text), async () => socket.close());
      socket.onopen = () => resolve(snelk);
      socket.onerror = () => reject(new Error(`nobody answers at ${address}`));
      socket.onmessage = (event) => snelk.#hear(event.data);
      socket.onclose = () => snelk.#leave("the connection is closed");
    });
  }

  /** Say something, and get the reply to it. What is wrong with it is thrown, and the game goes on. */
  say(message) {
    const id = ++this.#last;
    return new Promise((resolve, reject) => {
      this.#waiting.set(id, { resolve, reject });
      this.#send(JSON.stringify({ ...message, id }));
    });
  }

  hello(more = {}) {
    return this.say({ type: "hello", version: 1, ...more });
  }

  frame(seconds, more = {}) {
    return this.say({ type: "frame", seconds, ...more });
  }

  /** Leave; a Snelk that was started here ends, and its record is whole. */
  close() {
    return this.#close();
  }

  #hear(text) {
    const reply = JSON.parse(text);
    const { resolve, reject } = this.#waiting.get(reply.id) ?? {};
    this.#waiting.delete(reply.id);
    if (reply.type === "error") reject?.(new Error(reply.text));
    else resolve?.(reply);
  }

  #leave(why) {
    for (const { reject } of this.#waiting.values()) reject(new Error(why));
    this.#waiting.clear();
  }
}
