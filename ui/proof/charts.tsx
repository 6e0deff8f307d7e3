"use client";

import {
  Area,
  AreaChart,
  CartesianGrid,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { RESIDUAL_LIMIT } from "../../core/proof/judge";
import type { Proof } from "../../core/proof/proof";
import { formatClock } from "../../core/time/clock";
import { responsible } from "../../core/words/responsible";
import { formatNumber } from "../../core/words/numbers";

/** Below this the chart's floor stands for "less". */
const FLOOR_DB = -180;
const HEIGHT = 168;

const AXIS = { stroke: "var(--ink-soft)", fontSize: 10, fontFamily: "var(--font-mono)", tickLine: false } as const;
const seconds = (s: number) => formatClock(s).replace(/\.\d+$/, "");

function Tip({ text }: { readonly text: string }) {
  return <div className="figure border border-ink bg-lift px-2 py-1 text-[11px]">{text}</div>;
}

/** The sum of the stems minus the mix that they should add up to, over time, against what is allowed. */
export function ResidualChart({ proof }: { readonly proof: Proof }) {
  const { residual, verdict, unsummable, manifest } = proof;
  const limit = RESIDUAL_LIMIT[manifest.depth];
  if (residual === null) return null;
  const suspect = responsible(proof);
  const data = residual.overTime.map((db, i) => ({ t: i * residual.stepSeconds, db: db ?? FLOOR_DB }));
  return (
    <section aria-labelledby="residual">
      <h2 id="residual" className="text-lg leading-tight font-semibold">
        Sum of the stems against the mix:{" "}
        <span className={`figure ${verdict.sum.mark === "wrong" ? "text-wrong" : ""}`}>
          {verdict.sum.text.replace("-", "−")}
        </span>
      </h2>
      <p className="mb-2 text-soft">
        {unsummable.length === 0 ? (
          <>
            {manifest.whole === "after its chain" ? "After" : "Before"} its chain, same pass. Up to{" "}
            <span className="figure">{formatNumber(limit, 0)}</span> is allowed at{" "}
            {manifest.depth === "32f" ? "float" : `${manifest.depth} bits`}
            {residual.rmsDb === null ? (
              "."
            ) : (
              <>
                ; RMS <span className="figure">{formatNumber(residual.rmsDb, 1)}</span>.
              </>
            )}
          </>
        ) : (
          <>They need not add up exactly: {unsummable.join("; ")}.</>
        )}
        {suspect !== null && <b className="block font-semibold text-ink">{suspect}</b>}
      </p>
      <ResponsiveContainer width="100%" height={HEIGHT}>
        <AreaChart data={data} margin={{ top: 4, right: 8, bottom: 0, left: -14 }} accessibilityLayer>
          <CartesianGrid stroke="var(--rule)" vertical={false} />
          <XAxis dataKey="t" type="number" domain={[0, "dataMax"]} tickFormatter={seconds} {...AXIS} />
          <YAxis domain={[FLOOR_DB, 0]} ticks={[0, -60, -120, -180]} {...AXIS} />
          <Tooltip
            isAnimationActive={false}
            content={({ payload }) => {
              const p = payload[0]?.payload as { t: number; db: number } | undefined;
              return p ? (
                <Tip text={`${formatClock(p.t)}  ${p.db <= FLOOR_DB ? "nothing" : `${formatNumber(p.db, 1)} dBFS`}`} />
              ) : null;
            }}
          />
          <ReferenceLine
            y={limit}
            stroke="var(--signal)"
            strokeDasharray="4 3"
            label={{ value: "allowed", position: "insideBottomRight", fontSize: 10, fill: "var(--signal)" }}
          />
          <Area
            dataKey="db"
            baseValue={FLOOR_DB}
            stroke="var(--ink)"
            strokeWidth={1}
            fill="var(--ink)"
            fillOpacity={0.14}
            isAnimationActive={false}
          />
        </AreaChart>
      </ResponsiveContainer>
    </section>
  );
}

/** Short-term loudness of the reference mix over time. */
export function LoudnessChart({ proof }: { readonly proof: Proof }) {
  const mix = proof.files.find((f) => f.role === "reference mix");
  if (!mix) return null;
  const points = mix.picture.loudness;
  const total = mix.frames / mix.rate;
  const data = points.map((lufs, i) => ({ t: (i / Math.max(1, points.length - 1)) * total, lufs }));
  const { lufs, truePeakDb, rangeLu } = mix.measures;
  const level = (value: number | null, digits = 1) => (value === null ? "–" : formatNumber(value, digits));
  return (
    <section aria-labelledby="loudness">
      <h2 id="loudness" className="text-lg leading-tight font-semibold">
        Loudness of the reference mix: <span className="figure">{level(lufs)} LUFS</span>
      </h2>
      <p className="mb-2 text-soft">
        Short-term, over three seconds. Range <span className="figure">{level(rangeLu)}</span> LU, true peak{" "}
        <span className="figure">{level(truePeakDb)}</span> dBTP.
      </p>
      <ResponsiveContainer width="100%" height={HEIGHT}>
        <LineChart data={data} margin={{ top: 4, right: 8, bottom: 0, left: -14 }} accessibilityLayer>
          <CartesianGrid stroke="var(--rule)" vertical={false} />
          <XAxis dataKey="t" type="number" domain={[0, "dataMax"]} tickFormatter={seconds} {...AXIS} />
          <YAxis domain={[-60, 0]} ticks={[0, -20, -40, -60]} allowDataOverflow {...AXIS} />
          <Tooltip
            isAnimationActive={false}
            content={({ payload }) => {
              const p = payload[0]?.payload as { t: number; lufs: number | null } | undefined;
              return p ? (
                <Tip text={`${formatClock(p.t)}  ${p.lufs === null ? "silence" : `${formatNumber(p.lufs, 1)} LUFS`}`} />
              ) : null;
            }}
          />
          <Line dataKey="lufs" stroke="var(--ink)" strokeWidth={1.4} dot={false} isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
    </section>
  );
}
