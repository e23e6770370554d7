/** What a page may not do in a browser that nobody looks at: it is denied or closed at once, and counted. */
import type { DevTools } from './devtools.js';

export const DENIED = ['download', 'dialog', 'new window', 'service worker'] as const;
export type Denied = (typeof DENIED)[number];

/** Nothing is asked for, printed or opened. */
export const DENYING_FLAGS = ['--deny-permission-prompts', '--disable-print-preview', '--noerrdialogs'];

export class Denials {
  readonly counts = new Map<Denied, number>();

  /** @param own the tab that is looked at */
  static async begin(tools: DevTools, session: string, own: string): Promise<Denials> {
    const denials = new Denials();
    const { targetInfos } = await tools.send('Target.getTargets');
    /** The tabs that were there before any page. */
    const known = new Set((targetInfos as readonly { targetId: string }[]).map(({ targetId }) => targetId));
    known.add(own);
    const count = (what: Denied): void => void denials.counts.set(what, (denials.counts.get(what) ?? 0) + 1);
    const quietly = (done: Promise<unknown>): void => void done.catch(() => undefined);
    tools.listen(({ method, params = {}, sessionId }) => {
      if (method === 'Page.javascriptDialogOpening' && sessionId === session) {
        const isLeaving = params['type'] === 'beforeunload';
        if (!isLeaving) count('dialog');
        // Whoever is asked whether to leave leaves.
        quietly(tools.send('Page.handleJavaScriptDialog', { accept: isLeaving }, session));
      } else if (method === 'Browser.downloadWillBegin' || method === 'Page.downloadWillBegin')
        count('download');
      else if (method === 'Target.targetCreated') {
        const { targetId, type } = params['targetInfo'] as { targetId: string; type: string };
        if (type === 'service_worker') count('service worker');
        if (type !== 'page' || known.has(targetId)) return;
        count('new window');
        quietly(tools.send('Target.closeTarget', { targetId }));
      }
    });
    await tools.send('Browser.setDownloadBehavior', { behavior: 'deny', eventsEnabled: true });
    await tools.send('Target.setDiscoverTargets', { discover: true });
    await tools.send('Network.enable', {}, session);
    await tools.send('Network.setBypassServiceWorker', { bypass: true }, session);
    return denials;
  }
}
