/** The look of every page: light and dark, wide and narrow, on paper. */
export const PAGE_STYLE = `
:root{color-scheme:light dark;--paper:#f7f8f6;--card:#fff;--ink:#1d2b2a;--soft:#54635f;--line:#d5dcd8;--accent:#2c7a7b;--good:#1c6b45;--bad:#a3271a;--warn:#7d5200;--note:#44596b;--good-bg:#e2f1e8;--bad-bg:#f9e4e0;--warn-bg:#f8ecd2;--code:#eef2f0}
@media (prefers-color-scheme:dark){:root{--paper:#111918;--card:#192321;--ink:#e6ece9;--soft:#a3b3ae;--line:#30403c;--accent:#5fb3ad;--good:#7fd3a3;--bad:#ff9d8d;--warn:#eac06a;--note:#a9c1d4;--good-bg:#173226;--bad-bg:#3b1f1a;--warn-bg:#382c12;--code:#22302d}}
*{box-sizing:border-box}
body{margin:0;background:var(--paper);color:var(--ink);font:16px/1.5 system-ui,-apple-system,"Segoe UI",Roboto,"DejaVu Sans",sans-serif}
main,header,footer{max-width:1180px;margin:0 auto;padding:0 24px}
a{color:var(--accent)}
:focus-visible{outline:3px solid var(--accent);outline-offset:2px;border-radius:3px}
.skip{position:absolute;left:-999px}.skip:focus{left:8px;top:8px;background:var(--card);padding:6px 10px}
header{padding-top:26px}
.maker{margin:0;color:var(--soft);font:600 14px/1.4 ui-monospace,"DejaVu Sans Mono",Consolas,monospace}
.verdict{margin:2px 0 0;font-size:30px;line-height:1.2;letter-spacing:-.01em;color:var(--bad)}.works .verdict{color:var(--good)}.verdict.plain{color:inherit}.property{padding-left:1em}header .cure{margin:12px 0 0;flex-wrap:wrap}
.about{color:var(--soft);margin:8px 0 0;overflow-wrap:anywhere}
nav ul{display:flex;flex-wrap:wrap;gap:6px 20px;list-style:none;margin:16px 0 0;padding:10px 0;border-block:1px solid var(--line)}
.tiles{display:grid;grid-template-columns:repeat(auto-fit,minmax(150px,1fr));gap:12px;margin:20px 0 0;padding:0;list-style:none}
.tiles li{background:var(--card);border:1px solid var(--line);border-radius:8px;padding:12px 16px}
.tiles b{display:block;white-space:nowrap;font-size:26px;line-height:1.2;font-weight:650;font-variant-numeric:tabular-nums}
.tiles span{color:var(--soft);font-size:14px}
.error b,.level.error{color:var(--bad)}.warning b,.level.warning{color:var(--warn)}.note b,.level.note{color:var(--note)}
.zero b{color:inherit}
h2{font-size:21px;margin:34px 0 12px;scroll-margin-top:10px}
h3{font-size:16px;margin:0}
.rules{columns:2;column-gap:14px}
code{font:600 .92em ui-monospace,"DejaVu Sans Mono",Consolas,monospace}
.rule{background:var(--card);border:1px solid var(--line);border-left:5px solid var(--note);border-radius:8px;padding:10px 16px 8px;margin:0 0 12px;break-inside:avoid;scroll-margin-top:10px}.rule.long{break-inside:auto;-webkit-box-decoration-break:clone;box-decoration-break:clone}.rule.long>*,.rule li{break-inside:avoid}.rule.long>ul,.rule.long>details{break-inside:auto}
.rule.error{border-left-color:var(--bad)}.rule.warning{border-left-color:var(--warn)}
.rule h3{display:flex;flex-wrap:wrap;gap:2px 12px;align-items:baseline}
.level{font-weight:650}.count{color:var(--soft);font-weight:400;font-size:14px}
.rule>p{margin:1px 0 7px;color:var(--soft);font-size:13.5px;line-height:1.42}
.rule ul{list-style:none;margin:0;padding:0}
.rule li{padding:7px 0 8px;border-top:1px solid var(--line)}.rule>ul:first-child>li:first-child{border-top:0}
.place{font:600 14px/1.45 ui-monospace,"DejaVu Sans Mono",Consolas,monospace;overflow-wrap:anywhere}
.what{overflow-wrap:anywhere;font-size:15px;line-height:1.45}
summary{cursor:pointer;color:var(--accent);font-size:14.5px}.rule ul.places{columns:2 220px;margin:4px 0 0}.rule ul.places li{border:0;padding:1px 0;font:14px/1.45 ui-monospace,"DejaVu Sans Mono",Consolas,monospace;overflow-wrap:anywhere}
.cure{display:flex;gap:8px;margin-top:4px;font-size:14.5px}
.cure b{color:var(--good);font-weight:650}
.cure span{user-select:all;background:var(--code);border-radius:4px;padding:0 7px;overflow-wrap:anywhere;min-width:0}
.scroll{overflow-x:auto;border:1px solid var(--line);border-radius:8px;background:var(--card)}
table{border-collapse:collapse;width:100%;font-size:14.5px;font-variant-numeric:tabular-nums}
th,td{padding:7px 12px;text-align:right;border-bottom:1px solid var(--line);white-space:nowrap}
th:first-child{text-align:left;position:sticky;left:0;background:var(--card)}
thead th{color:var(--soft);font-weight:600}
tbody tr:last-child>*{border-bottom:0}
td.ok{color:var(--good)}td.ko{color:var(--bad);font-weight:650;background:var(--bad-bg)}td.na{color:var(--soft)}
.plots{display:grid;grid-template-columns:1fr 1fr;gap:16px}
figure{position:relative;margin:0;background:var(--card);border:1px solid var(--line);border-radius:8px;padding:14px 16px;min-width:0;break-inside:avoid}
figcaption{font-weight:650;margin-bottom:6px}figcaption small{display:block;color:var(--soft);font-weight:400;font-size:14px}
figure svg{display:block;max-width:100%;height:auto}
.narrow{display:none}
.hidden{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%);white-space:nowrap}
.fine{color:var(--soft)}
footer{color:var(--soft);font-size:14px;margin-top:34px;padding-bottom:34px}
@media (max-width:980px){.rules{columns:1}}
@media (max-width:820px){main,header,footer{padding-inline:16px}.verdict{font-size:24px}.plots{grid-template-columns:1fr}.tiles{grid-template-columns:repeat(2,1fr)}.wide{display:none}.narrow{display:block}.rule{padding-inline:14px}}
@media (max-width:620px){.scroll{overflow:visible;border:0;background:none}table,tbody,tr{display:block}thead{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%)}.scroll tr{display:flex;flex-wrap:wrap;gap:4px 16px;background:var(--card);border:1px solid var(--line);border-radius:8px;padding:10px 14px;margin-bottom:10px}.scroll th[scope=row]{flex:1 0 100%;position:static;padding:0;border:0;font-size:15.5px;white-space:normal}.scroll td{padding:0;border:0;border-radius:4px}.scroll td.ko{padding:0 4px}.scroll td::before{content:attr(data-about) " ";color:var(--soft);font-weight:400}.scroll td.na{display:none}}
@media print{:root{--paper:#fff;--card:#fff;--ink:#000;--soft:#444;--line:#bbb;--accent:#2c7a7b;--good:#1c6b45;--bad:#a3271a;--warn:#7d5200;--note:#44596b;--code:#f2f2f2;--bad-bg:#fff}body{font-size:11pt}nav,.skip{display:none}*{print-color-adjust:exact}.plots{grid-template-columns:1fr}main,header,footer{padding:0}.tiles{grid-template-columns:repeat(5,1fr)}.tiles li{padding:6px 10px}.scroll{overflow:visible}table{font-size:8pt}th,td{padding:3px 5px}}
`;

/** The controls by which parts of a page are shown or hidden. */
export const FILTER_FORM_STYLE = `
.filters{display:flex;flex-wrap:wrap;gap:8px 28px;margin:0 0 12px;padding:0;border:0;font-size:14.5px}.filters fieldset{border:0;padding:0;margin:0;display:flex;flex-wrap:wrap;gap:2px 14px;min-width:0}.filters legend{float:left;color:var(--soft);margin-right:10px;padding:0}.filters label{white-space:nowrap}.filters input{margin:0 5px 0 0;vertical-align:-1px;accent-color:var(--accent)}.filters select{font:inherit;max-width:22em}
@media print{.filters{display:none}}
`;
