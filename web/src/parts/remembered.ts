/** What was kept in this browser under a key, over what holds at first; that alone where it is none. */
export function remembered<T extends object>(key: string, first: T): T {
  try {
    return { ...first, ...(JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<T>) };
  } catch {
    return first;
  }
}
