/** Whether notices can be shown, and whether the person was asked. */
export const noticesAre = (): NotificationPermission | undefined =>
  'Notification' in globalThis ? Notification.permission : undefined;
