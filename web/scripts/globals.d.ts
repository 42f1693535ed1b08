// What the scripts share with each other and with htmx through the window.

/** An entry that waits in the browser to be stored. */
interface Entry {
  run: string;
  to: string;
  fields: Record<string, string>;
  at: number; // ms since 1970
  key: string;
  name?: string; // of the place that it is kept in
  fault?: string; // why the program did not take it
}

interface Window {
  htmx?: {
    process(e: Element): void;
    ajax(...args: unknown[]): void;
    trigger(e: Element, name: string): void;
  };
  zincQueue: {
    add(run: string, to: string, fields: Record<string, any>, at: number): void;
    flush(): Promise<void>;
    readonly sending: boolean;
    readonly why: string;
    waiting(run: string): Entry[];
    refused(run: string): Entry[];
    forget(entry: Entry): void;
  };
}
