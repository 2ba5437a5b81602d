/** The palette as Ant Design tokens. The same values stand in globals.css for everything drawn by hand. */
import { theme, type ThemeConfig } from 'antd';

const LIGHT = {
  paper: '#f2efe8',
  panel: '#fcfbf8',
  line: '#ddd7cb',
  ink: '#1e2a2f',
  muted: '#5f6970',
  danger: '#ad3f27',
  accent: '#14606a',
  info: '#e7eeee',
  warn: '#f8ecd8',
  error: '#f6e3de',
};
const DARK = {
  paper: '#171c1f',
  panel: '#1f2629',
  line: '#364046',
  ink: '#ebe7dd',
  muted: '#a3abaf',
  danger: '#e58a72',
  accent: '#2f8790',
  info: '#22363a',
  warn: '#3d3320',
  error: '#40251f',
};

/** @param still nothing moves: what waited for the end of a motion that is over at once could wait for ever */
export function antTheme(dark: boolean, still: boolean): ThemeConfig {
  const p = dark ? DARK : LIGHT;
  const link = dark ? '#66b3bb' : p.accent;
  return {
    algorithm: dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
    token: {
      colorPrimary: p.accent,
      colorPrimaryHover: dark ? '#287880' : '#1b6a75',
      colorInfo: p.accent,
      colorSuccess: p.accent,
      colorLink: link,
      colorError: p.danger,
      colorInfoBg: p.info,
      colorInfoBorder: p.line,
      colorWarningBg: p.warn,
      colorWarningBorder: p.line,
      colorErrorBg: p.error,
      colorErrorBorder: p.line,
      colorText: p.ink,
      colorTextSecondary: p.muted,
      colorTextDescription: p.muted,
      colorTextPlaceholder: p.muted,
      colorBgBase: p.panel,
      colorBgContainer: p.panel,
      colorBgElevated: p.panel,
      colorBgLayout: p.paper,
      colorBorder: p.line,
      colorBorderSecondary: p.line,
      // What is chosen in a list: what is reckoned from the accent is too dark for its words.
      controlItemBgActive: p.info,
      controlItemBgActiveHover: p.info,
      borderRadius: 6,
      fontFamily: "'Public Sans Variable', system-ui, sans-serif",
      fontSize: 14,
      controlHeight: 32,
      motion: !still,
      motionDurationMid: '0.12s',
      motionDurationSlow: '0.16s',
    },
    components: {
      Table: { rowSelectedBg: p.info, rowSelectedHoverBg: p.info },
      // What is chosen in a menu.
      Dropdown: { colorPrimary: link },
      // The usual hover colour is too faint for words on a dark panel.
      Button: { defaultHoverColor: p.ink, defaultActiveColor: p.ink, defaultHoverBorderColor: p.muted },
    },
  };
}
