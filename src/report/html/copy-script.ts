/** The one script of a page: a button at each cure that copies it. Without it the page is the same but for the buttons. */
import * as crypto from 'node:crypto';

export const COPY_SCRIPT = `for(const cure of document.querySelectorAll('.cure span')){const button=document.createElement('button');button.type='button';button.textContent='Copy';button.setAttribute('aria-label','Copy this cure');button.onclick=async()=>{try{await navigator.clipboard.writeText(cure.textContent)}catch{getSelection().selectAllChildren(cure);document.execCommand('copy')}button.textContent='Copied';setTimeout(()=>{button.textContent='Copy'},1500)};cure.after(button)}`;

/** What the page's policy lets run: this text and no other (Content Security Policy, script-src with a hash). */
export const COPY_SOURCE = `'sha256-${crypto.createHash('sha256').update(COPY_SCRIPT).digest('base64')}'`;

export const COPY_STYLE = `
.cure button{font:inherit;font-size:13px;line-height:1.3;align-self:start;flex:none;color:var(--accent);background:none;border:1px solid var(--line);border-radius:4px;padding:1px 8px;cursor:pointer}
@media print{.cure button{display:none}}
`;
