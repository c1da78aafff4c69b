import { Dialog } from "radix-ui";
import { useView } from "../state";
import { ACTIONS } from "./actions";

const GROUPS = [
  ["", "Everywhere"],
  ["shelf", "Shelf"],
  ["set", "Set"],
  ["fire", "Fire"],
  ["read", "Read"],
] as const;

export function KeyList() {
  const { keys, setKeys } = useView();
  return (
    <Dialog.Root open={keys} onOpenChange={setKeys}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="scroll fixed left-1/2 top-14 z-30 max-h-[calc(100vh-80px)] w-[min(940px,94vw)] -translate-x-1/2 rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
        >
          <Dialog.Title className="cap mb-2 text-[13px] text-soot">All keys</Dialog.Title>
          <div className="columns-2 gap-6">
            {GROUPS.map(([on, words]) => (
              <section key={on} className="mb-3 break-inside-avoid-column" aria-label={words}>
                <h3 className="cap border-b border-rim pb-1">{words}</h3>
                <dl className="grid grid-cols-[118px_1fr] gap-y-1 pt-1.5 text-[12.5px]">
                  {ACTIONS.filter((a) => a.on === on).map((a) => [
                    <dt key={a.keys + a.words}>
                      <kbd>{a.keys}</kbd>
                    </dt>,
                    <dd key={a.words}>{a.words}</dd>,
                  ])}
                </dl>
              </section>
            ))}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
