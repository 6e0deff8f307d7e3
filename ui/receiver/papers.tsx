import type { Delivery } from "../../contract/link";
import { byteText } from "../parts/bytes";

interface Props {
  /** Of the link, in front of its files. */
  readonly base: string;
  readonly delivery: Delivery;
}

/** What lies beside the audio of a delivery, and what its proof found. */
export function Papers({ base, delivery }: Props) {
  return (
    <section aria-labelledby="papers">
      <h2 id="papers" className="text-lg font-semibold">
        Beside the audio
      </h2>
      <p className="text-soft">What each file is and how to line them up; tempo, meter and markers for any program.</p>
      <ul className="mt-2 space-y-1">
        {delivery.papers.map((paper) => {
          const address = `${base}/files/${encodeURIComponent(paper.name)}`;
          return (
            <li key={paper.name} className="flex items-baseline gap-3">
              <a
                href={paper.role === "sheet" ? address : `${address}?save=1`}
                {...(paper.role === "sheet" ? { target: "_blank", rel: "noreferrer" } : { download: true })}
                className="figure min-h-6 truncate font-semibold text-spot underline underline-offset-2"
              >
                {paper.name}
              </a>
              <span className="shrink-0 text-xs text-soft">{byteText(paper.bytes)}</span>
            </li>
          );
        })}
      </ul>
      {delivery.proof && (
        <p className="mt-4">
          <b className="font-semibold">
            {delivery.proof.mark === "wrong" ? "Its proof found something wrong." : "Proven before it was sent."}
          </b>{" "}
          <span className="text-soft">
            Every file was read back and held to the session. Sum of the stems against the mix:{" "}
            <span className="figure">{delivery.proof.sum.replace("-", "−")}</span>.
          </span>
        </p>
      )}
    </section>
  );
}
