import type { ReactNode } from "react";
import { later, Tabs } from "@/ui";
import { changedInputs } from "./model";
import { TextFace } from "./text/TextFace";
import type { Bench } from "./useBench";
import { FACES, type Face } from "./useWorkbenchCommands";

const InputsFace = later(() => import("./inputs/InputsFace").then((found) => found.InputsFace));
const StepsMenu = later(() => import("./StepsMenu").then((found) => found.StepsMenu));
const SheetFace = later(() => import("./sheet/SheetFace").then((found) => found.SheetFace));

/** The script in one of its faces, with its steps and its versions. */
export function ScriptColumn({ bench }: { bench: Bench }) {
  const { state, onState, live, face, setup, saving, isSaved, isCovered, opened } = bench;
  return (
    <>
      <div className="relative flex h-9 flex-none items-end border-b border-line px-4">
        <Tabs label="Faces of the script" names={FACES} chosen={face} of="script" onChoose={bench.setFace} />
        <span className="ml-auto flex items-center gap-1 pb-1 text-note text-soft">
          <StepsMenu steps={bench.steps} isCovered={isCovered} />
          {/* One button, saved or not: the focus stays where it is. */}
          <button
            type="button"
            className={isSaved ? "px-2 whitespace-nowrap" : "plain-button !px-2 !py-0"}
            title={isSaved ? "What is in view is this version" : "Not saved yet (Ctrl S)"}
            aria-disabled={isSaved || saving.isSaving}
            onClick={() => !isSaved && !saving.isSaving && saving.save(bench.text)}
          >
            {isSaved ? `saved · v${opened.number}` : opened.number === 0 ? "Save" : "Save version"}
          </button>
        </span>
      </div>
      {/* The text stays: switching loses neither the cursor nor what can be undone. */}
      <FacePanel of="Text" face={face} className="flex flex-col">
        <TextFace
          key={bench.title}
          title={bench.title}
          text={bench.text}
          setup={setup}
          explained={live.explained}
          isQuiet={!live.isOfView}
          isCovered={isCovered}
          zone={live.run?.zone ?? "UTC"}
          onText={bench.setText}
          onSave={() => saving.save(bench.text)}
          onTool={bench.setTool}
          onOpenScript={(name) => onState({ ...state, script: name, version: undefined, inputs: undefined })}
        />
      </FacePanel>
      <FacePanel of="Sheet" face={face} className="overflow-auto">
        {face === "Sheet" && (
          <SheetFace
            setup={setup}
            account={bench.account}
            onText={bench.setText}
            onAccount={() => bench.accountRef.current?.click()}
          />
        )}
      </FacePanel>
      <FacePanel of="Inputs" face={face} className="overflow-auto">
        <InputsFace
          inputs={live.answer?.inputs ?? []}
          given={state.inputs}
          setup={face === "Inputs" && live.isOfView && live.run?.is_strategy && !isCovered ? setup : null}
          figures={bench.catalogue.figures}
          markets={bench.markets.map((market) => market.symbol)}
          ask={live.ask}
          onSweep={(input) => bench.sweep(input.name)}
          onChange={(input, value) => onState({ ...state, inputs: changedInputs(state.inputs, input, value) }, true)}
          onReset={() => onState({ ...state, inputs: undefined }, true)}
        />
      </FacePanel>
    </>
  );
}

function FacePanel(props: { of: Face; face: Face; className: string; children: ReactNode }) {
  const { of, face, className, children } = props;
  return (
    <div
      role="tabpanel"
      id={`face-script-${of}`}
      aria-labelledby={`tab-script-${of}`}
      className={`min-h-0 flex-1 ${face === of ? className : "hidden"}`}
    >
      {children}
    </div>
  );
}
