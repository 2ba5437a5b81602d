/** Components whose code is not part of the first screen: it comes when they are wanted, or when there is time. */
import { lazy, Suspense, useState, type ComponentType, type ReactNode } from 'react';

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
  const Own = lazy(() => load().then((component) => ({ default: component }))) as unknown as ComponentType<P>;
  return function Later(props: P) {
    return (
      <Suspense fallback={meanwhile}>
        <Own {...props} />
      </Suspense>
    );
  };
}

/** Fetches the code of all of them, so that it is there when the server no longer is. */
export const fetchLater = (): Promise<unknown> => Promise.all(LOADS.map((load) => load()));

/** Whether something was ever so: a dialog that was opened stays, so that it can leave. */
export function useOnce(is: boolean): boolean {
  const [once, setOnce] = useState(is);
  if (is && !once) setOnce(true);
  return once || is;
}
