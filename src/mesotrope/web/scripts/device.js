// Entries that wait on this device until they have been acknowledged, oldest first. They survive a reload.

const NAME = "mesotrope";
const STORE = "waiting";

function opened() {
  return new Promise((resolve, reject) => {
    const request = indexedDB.open(NAME, 1);
    request.onupgradeneeded = () => request.result.createObjectStore(STORE, { keyPath: "key" });
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
}

let database;

async function within(mode, work) {
  database ??= opened();
  const transaction = (await database).transaction(STORE, mode);
  const request = work(transaction.objectStore(STORE));
  return new Promise((resolve, reject) => {
    transaction.oncomplete = () => resolve(request.result);
    transaction.onerror = transaction.onabort = () => reject(transaction.error);
  });
}

// A device without storage still sends what it has in memory: these never fail loudly.
export const remember = (entry) => within("readwrite", (store) => store.put(entry)).catch(() => undefined);
export const forget = (key) => within("readwrite", (store) => store.delete(key)).catch(() => undefined);
export const remembered = async () => {
  const all = await within("readonly", (store) => store.getAll()).catch(() => []);
  return (all ?? []).sort((a, b) => a.at - b.at);
};
