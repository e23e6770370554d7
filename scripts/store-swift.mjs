// Starts a real OpenStack Swift of three nodes on this machine, says how to publish to it, and ends it with Ctrl-C.
import { SCRIPT, startSwift } from './swift-cluster.mjs';

const swift = startSwift();
if (!swift) process.exit(3);
const { auth, secrets, addressOf, folder } = swift;
console.log(`
In fenestra.yaml:

stores:
  cloud: { kind: swift, auth: "${auth}" }
destinations:
  live: { store: cloud, bucket: my-mill, address: "${addressOf('my-mill')}" }

In the shell:

export FENESTRA_CLOUD_USER=${secrets.FENESTRA_CLOUD_USER} FENESTRA_CLOUD_KEY=${secrets.FENESTRA_CLOUD_KEY}
fenestra publish --to live

${SCRIPT} kill-node ${folder} 3    # a node dies; revive-node brings it back

Ctrl-C ends it and removes everything that was published to it.`);
setInterval(() => undefined, 2 ** 30);
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    swift.stop();
    process.exit(0);
  });
