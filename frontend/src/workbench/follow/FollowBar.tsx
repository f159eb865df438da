import { Pause, Play, SkipForward, StepBack, StepForward, X } from "lucide-react";
import type { ReactNode } from "react";
import type { Run } from "@/api";
import { Picker, plain } from "@/ui";
import { PACES, type useFollow } from "./useFollow";

/** The way through a covered run: a step back or on, play, the next event, the end. */
export function FollowBar({ run, follow }: { run: Run; follow: ReturnType<typeof useFollow> }) {
  const { following } = follow;
  if (!following) return null;
  const left = run.last - following.bar;
  return (
    <span className="flex items-center gap-1" role="group" aria-label="Follow the run">
      <Press label="A bar back (←)" onPress={() => follow.step(-1)}>
        <StepBack size={14} aria-hidden />
      </Press>
      <Press label="A bar on (→)" onPress={() => follow.step(1)}>
        <StepForward size={14} aria-hidden />
      </Press>
      <Press label={following.isPlaying ? "Rest (space)" : "Play (space)"} onPress={() => follow.play()}>
        {following.isPlaying ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
      </Press>
      <Picker
        label="Pace"
        value={String(following.pace)}
        options={PACES.map((pace) => ({ value: String(pace), label: `${pace} bar${pace > 1 ? "s" : ""} a second` }))}
        onChange={(pace) => follow.setPace(Number(pace))}
      />
      <Press label="To the next event: an entry or exit (e)" onPress={() => follow.toEvent()}>
        <SkipForward size={14} aria-hidden /> next event
      </Press>
      <span
        className="num px-1 text-small whitespace-nowrap text-soft"
        data-testid="follow-left"
        data-bar={following.bar}
      >
        {left === 0 ? "the end" : `${plain(left, 0)} left`}
      </span>
      <Press label="Uncover everything (Escape)" onPress={() => follow.leave()}>
        <X size={14} aria-hidden /> uncover
      </Press>
    </span>
  );
}

function Press({ label, onPress, children }: { label: string; onPress: () => void; children: ReactNode }) {
  return (
    <button
      type="button"
      className="bar-button"
      aria-label={label.replace(/ \(.*\)$/, "")}
      title={label}
      onClick={onPress}
    >
      {children}
    </button>
  );
}
