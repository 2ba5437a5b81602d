'use client';

import { Modal } from 'antd';
import { CommandList, type ListProps } from './CommandList';

/** The commands in a dialog, whose field has the focus once it is there. */
export function CommandDialog({ open, ...list }: ListProps & { readonly open: boolean }) {
  return (
    <Modal
      open={open}
      onCancel={list.onClose}
      footer={null}
      title="Commands"
      width={620}
      destroyOnHidden
      afterOpenChange={(there) => there && list.field.current?.focus()}
    >
      <CommandList {...list} />
    </Modal>
  );
}
