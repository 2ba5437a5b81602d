'use client';

import { createCache, extractStyle, StyleProvider } from '@ant-design/cssinjs';
import { ConfigProvider } from 'antd';
import { useServerInsertedHTML } from 'next/navigation';
import { useState, type ReactNode } from 'react';

/** The component library's styles, in the page the server sends and as they are needed, with the nonce that lets them in. */
export function Styles({ nonce, children }: { readonly nonce: string; readonly children: ReactNode }) {
  const [cache] = useState(() => createCache());
  useServerInsertedHTML(() => (
    <style
      nonce={nonce}
      data-rc-order="prepend"
      data-rc-priority="-1000"
      dangerouslySetInnerHTML={{ __html: extractStyle(cache, { plain: true, once: true }) }}
    />
  ));
  return (
    <StyleProvider cache={cache}>
      <ConfigProvider csp={{ nonce }}>{children}</ConfigProvider>
    </StyleProvider>
  );
}
