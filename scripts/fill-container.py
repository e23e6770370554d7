# Writes rows into the listings of a container as its servers would, for measuring: many objects are quick to list that way,
# and slow to send. Usage: fill-container.py CLUSTER ACCOUNT CONTAINER < lines of name, size, MD5 and time, separated by tabs
import datetime, glob, sys
from swift.common.utils import Timestamp
from swift.container.backend import ContainerBroker

cluster, account, container = sys.argv[1:4]
items = []
for line in sys.stdin:
    name, size, etag, when = line.rstrip('\n').split('\t')
    at = Timestamp(datetime.datetime.fromisoformat(when + '+00:00').timestamp()).internal
    items.append({'name': name, 'created_at': at, 'size': int(size), 'content_type': 'text/plain', 'etag': etag, 'deleted': 0, 'storage_policy_index': 0})
filled = 0
for path in glob.glob(cluster + '/node*/d*/containers/*/*/*/*.db'):
    broker = ContainerBroker(path, account=account, container=container)
    info = broker.get_info()
    if (info['account'], info['container']) != (account, container):
        continue
    for start in range(0, len(items), 10000):
        broker.merge_items([dict(item) for item in items[start:start + 10000]])
    filled += 1
print(filled)
