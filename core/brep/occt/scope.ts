/** Kernel objects live in scopes: whatever is owned is released when the scope ends, in reverse order, also after a throw. */
// biome-ignore lint/suspicious/noExplicitAny: kernel objects come from generated bindings whose types are partly wrong
export type Handle = any;

export class Scope {
  private readonly owned: (() => void)[] = [];
  own(handle: Handle): Handle {
    this.owned.push(() => handle?.delete?.());
    return handle;
  }
  /** An operation whose inner data must be cleared before it is deleted, or it leaks. */
  operation(handle: Handle): Handle {
    this.owned.push(() => {
      handle.Clear?.();
      handle.delete?.();
    });
    return handle;
  }
  end(): void {
    for (const release of this.owned.reverse()) {
      try {
        release();
      } catch {
        // released already by its owner inside the kernel
      }
    }
    this.owned.length = 0;
  }
}

export function withScope<T>(work: (scope: Scope) => T): T {
  const scope = new Scope();
  try {
    return work(scope);
  } finally {
    scope.end();
  }
}
