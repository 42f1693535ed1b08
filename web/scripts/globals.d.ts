// What the scripts share with each other and with htmx through the window.

/** An entry that waits in the browser to be stored. */
interface Entry {
  run: string;
  to: string;
  fields: Record<string, string>;
  at: number; // ms since 1970, by the device's own clock, which somebody may set
  mono: number; // ms by the page's timer, which nobody sets
  life: string; // of the page that has that timer
  seen: Contact | null; // when the program was heard last before it
  key: string;
  name?: string; // of the place that it is kept in
  fault?: string; // why the program did not take it
}

/** A moment at which the program was heard: by its own clock, by the device's, and by the page's timer. */
interface Contact {
  server: number; // ms since 1970
  wall: number; // ms since 1970
  mono: number; // ms
  life: string;
}

interface Window {
  htmx?: {
    process(e: Element): void;
    ajax(...args: unknown[]): void;
    trigger(e: Element, name: string): void;
  };
  zincQueue: {
    add(run: string, to: string, fields: Record<string, any>, at: number, mono: number): void;
    heard(server: number): void;
    flush(): Promise<void>;
    readonly sending: boolean;
    readonly why: string;
    waiting(run: string): Entry[];
    refused(run: string): Entry[];
    forget(entry: Entry): void;
  };
}
