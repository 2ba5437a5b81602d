/** Components whose code is not part of the first screen: it comes when they are wanted, or when there is time. */
import { Alert, Button } from 'antd';
import { Component, lazy, Suspense, useState, type ComponentType, type ReactNode } from 'react';
import { fetchWhenIdle } from './fetchWhenIdle';

/** Code that could not be fetched. */
class NotFetched extends Error {}

const LOADS: (() => Promise<unknown>)[] = [];

/**
 * A component whose code is fetched later.
 * @param meanwhile what stands in its place until then
 */
export function later<P extends object>(
  load: () => Promise<ComponentType<P>>,
  meanwhile: ReactNode = null,
): ComponentType<P> {
  LOADS.push(load);
  const fetched = async (): Promise<{ default: ComponentType<P> }> => {
    try {
      return { default: await load() };
    } catch (cause) {
      throw new NotFetched('a part of the page could not be fetched', { cause });
    }
  };
  const Own = lazy(fetched) as unknown as ComponentType<P>;
  return function Later(props: P) {
    return (
      <Unreached>
        <Suspense fallback={meanwhile}>
          <Own {...props} />
        </Suspense>
      </Unreached>
    );
  };
}

interface UnreachedState {
  readonly error?: unknown;
}

/** Says that code could not be fetched, in its place; other faults are none of its concern. */
class Unreached extends Component<{ readonly children: ReactNode }, UnreachedState> {
  override state: UnreachedState = {};

  static getDerivedStateFromError(error: unknown): UnreachedState {
    return { error };
  }

  override render(): ReactNode {
    const { error } = this.state;
    if (error === undefined) return this.props.children;
    if (!(error instanceof NotFetched)) throw error;
    return (
      <Alert
        type="error"
        showIcon
        title="This part of the page could not be fetched."
        description="Nothing is lost. Is the server that the page comes from still there?"
        action={<Button onClick={() => location.reload()}>Load the page again</Button>}
      />
    );
  }
}

/** Fetches the code of all of them while there is time. */
export const fetchLater = (): void => LOADS.forEach(fetchWhenIdle);

/** Whether something was ever so: a dialog that was opened stays, so that it can leave. */
export function useOnce(is: boolean): boolean {
  const [once, setOnce] = useState(is);
  if (is && !once) setOnce(true);
  return once || is;
}
