import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { api } from "../client";
import { fit, ringPath } from "../drawing/fit";
import { Faults } from "../parts/Faults";

const [WIDTH, HEIGHT] = [212, 56];

/** What a new sheet may begin from. */
export function NewSheet({
  open,
  onOpen,
  onBegin,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  onBegin: (data: object) => void;
}) {
  const templates = useQuery({ queryKey: ["templates"], queryFn: api.templates, enabled: open });
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-14 z-30 max-h-[calc(100vh-72px)] w-[min(1216px,96vw)] overflow-y-auto -translate-x-1/2 rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
        >
          <Dialog.Title className="cap mb-2.5 text-[13px] text-soot">Begin a new sheet from</Dialog.Title>
          <Faults error={templates.error} />
          <div className="grid grid-cols-5 gap-2.5">
            {templates.data?.map((t) => {
              const f = fit(t.sheet.box, WIDTH, HEIGHT, { left: 12, right: 12, top: 7, bottom: 7 });
              return (
                <button
                  type="button"
                  key={t.name}
                  className="flex cursor-pointer flex-col rounded-md border border-slateline bg-well text-left hover:border-copperfill"
                  onClick={() => {
                    onOpen(false);
                    onBegin(t.data);
                  }}
                >
                  <svg
                    viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                    className="w-full border-b border-hair2"
                    aria-hidden="true"
                  >
                    <path
                      d={ringPath(t.sheet.rings, f)}
                      fill="var(--zone2)"
                      fillRule="evenodd"
                      stroke="var(--soot)"
                      strokeWidth="1.4"
                    />
                  </svg>
                  <span className="px-2.5 pt-1.5 text-[13.5px] font-medium">{t.name}</span>
                  <span className="px-2.5 pb-2 text-[12px] leading-tight text-ink2">{t.summary}</span>
                </button>
              );
            })}
            {templates.isLoading && <p className="text-ink3">Reading what there is</p>}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
