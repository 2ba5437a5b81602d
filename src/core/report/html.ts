/** A paper as HTML: one file that loads nothing and runs nothing, and prints on A4. */
import { escaped } from './markup';
import type { Block, Paper } from './paper';
import { svgElement } from './svg';

const STYLE = `
@page { size: A4; margin: 14mm; }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 182mm; padding: 6mm 0; color: #1e2a2f; background: #fff;
  font: 9pt/1.35 'Public Sans Variable', 'DejaVu Sans', system-ui, sans-serif; font-variant-numeric: tabular-nums; }
@media print { body { padding: 0; } }
h1 { font-size: 17pt; line-height: 1.15; margin: 0; overflow-wrap: anywhere; }
h1.good { color: #14606a; } h1.bad { color: #ad3f27; }
h2 { font-size: 10pt; margin: 3.2mm 0 1mm; }
p { margin: 1mm 0; overflow-wrap: anywhere; }
.sub { font-size: 11pt; color: #56606a; }
dl { display: grid; grid-template-columns: max-content 1fr max-content 1fr; gap: .3mm 3mm; margin: 2mm 0; }
dt, .detail, footer { color: #56606a; } dd { margin: 0; overflow-wrap: anywhere; }
svg { display: block; width: 100%; height: auto; margin: 2mm 0; }
table { border-collapse: collapse; width: 100%; table-layout: fixed; }
th, td { text-align: left; vertical-align: top; padding: .5mm 1.5mm .5mm 0; border-bottom: .2mm solid #ddd7cb; overflow-wrap: anywhere; }
th { font-weight: 600; } .end { text-align: right; padding-right: 3mm; }
ol, ul { margin: 0; padding-left: 5mm; } li { overflow-wrap: anywhere; break-inside: avoid; }
.signature { break-inside: avoid; margin-top: 3mm; }
.notes { border: .2mm solid #ddd7cb; border-radius: 1mm; min-height: 18mm; padding: 1.5mm; white-space: pre-wrap; overflow-wrap: anywhere; }
.fields { display: flex; gap: 8mm; margin-top: 11mm; } .fields span { flex: 1; border-top: .2mm solid #1e2a2f; padding-top: .5mm; }
footer { font-size: 7.5pt; margin-top: 3mm; }
`;

/** A paper as the text of an HTML file. */
export function htmlOf({ title, subtitle, tone, blocks, footer }: Paper): string {
  const classed = tone ? ` class="${tone}"` : '';
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<meta name="viewport" content="width=device-width">
<title>${escaped(`${title} – ${subtitle}`)}</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<h1${classed}>${escaped(title)}</h1>
<p class="sub">${escaped(subtitle)}</p>
${blocks.map(blockHtml).join('\n')}
</main>
<footer>${escaped(footer)}</footer>
</body>
</html>
`;
}

function blockHtml(block: Block): string {
  switch (block.kind) {
    case 'facts':
      return `<dl>${block.items.map(([name, value]) => `<dt>${escaped(name)}</dt><dd>${escaped(value)}</dd>`).join('')}</dl>`;
    case 'picture':
      return svgElement(block.drawing);
    case 'text':
      return `${block.title ? `<h2>${escaped(block.title)}</h2>` : ''}<p>${escaped(block.text)}</p>`;
    case 'list': {
      const tag = block.numbered ? 'ol' : 'ul';
      const items = block.items.map(
        ({ text, detail }) =>
          `<li>${escaped(text)}${detail ? ` <span class="detail">· ${escaped(detail)}</span>` : ''}</li>`,
      );
      return `<h2>${escaped(block.title)}</h2><${tag}>${items.join('')}</${tag}>`;
    }
    case 'table':
      return tableHtml(block);
    case 'signature':
      return `<section class="signature"><h2>Notes</h2><div class="notes">${block.notes.split('\n').map(escaped).join('\n')}</div><div class="fields">${block.fields.map((f) => `<span>${escaped(f)}</span>`).join('')}</div></section>`;
  }
}

function tableHtml({ title, columns, rows }: Extract<Block, { kind: 'table' }>): string {
  const widths = columns.map((c) => `<col style="width:${(c.share * 100).toFixed(1)}%">`).join('');
  const at = (i: number): string => (columns[i]!.end ? ' class="end"' : '');
  const head = columns.map((c, i) => `<th scope="col"${at(i)}>${escaped(c.title)}</th>`).join('');
  const body = rows.map((row) => `<tr>${row.map((cell, i) => `<td${at(i)}>${escaped(cell)}</td>`).join('')}</tr>`);
  return `<h2>${escaped(title)}</h2><table><colgroup>${widths}</colgroup><thead><tr>${head}</tr></thead><tbody>${body.join('')}</tbody></table>`;
}
