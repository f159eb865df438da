import fc from "fast-check";
import { beforeEach, vi } from "vitest";

fc.configureGlobal({ seed: Number(process.env.SEED ?? 20240102) }); // the same cases every time, others by SEED

/** What a browser has and these tests need of it: two stores, an address, a way to tell other tabs. */
class Store {
  [name: string]: unknown;

  getItem(key: string): string | null {
    return Object.hasOwn(this, key) ? (this[key] as string) : null;
  }

  setItem(key: string, value: string): void {
    this[key] = value;
  }

  removeItem(key: string): void {
    delete this[key];
  }
}

class Channel {
  onmessage: ((event: { data: unknown }) => void) | null = null;
  postMessage(): void {}
}

vi.stubGlobal("window", globalThis);
vi.stubGlobal("location", { protocol: "http:", host: "127.0.0.1:8765" });
vi.stubGlobal("BroadcastChannel", Channel);
vi.stubGlobal("matchMedia", () => ({ matches: false, addEventListener() {}, removeEventListener() {} }));
vi.stubGlobal("localStorage", new Store());
vi.stubGlobal("sessionStorage", new Store());

beforeEach(() => {
  vi.stubGlobal("localStorage", new Store());
  vi.stubGlobal("sessionStorage", new Store());
});
