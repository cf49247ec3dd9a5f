import type { Plan } from "@/api/client";
import { rebase } from "@/lib/value";
import { AccountsEditor } from "./AccountsEditor";
import { ChoicesEditor } from "./ChoicesEditor";
import { ContractEditor } from "./ContractEditor";
import { DatesEditor } from "./DatesEditor";
import { MonthPreview } from "./MonthPreview";
import { asTrunk, type PlanObject, type Section } from "./model";
import { ProfileChoice } from "./ProfileChoice";
import type { Advice } from "./profile";
import { TargetsEditor } from "./TargetsEditor";
import { WeekEditor } from "./WeekEditor";

interface Props {
  section: Section;
  plan: Plan;
  object: PlanObject;
  profile: Advice[];
  onChange: (next: (now: PlanObject) => PlanObject) => void;
  at: (place: string) => string | undefined;
}
/** What one line for a setting cannot show. */
export function Special({ section, plan, object, profile, onChange, at }: Props) {
  const trunk = asTrunk(object);
  const sip = trunk?.link.sip;
  if (section.special === "profile" && trunk) {
    return (
      <ProfileChoice
        trunk={trunk}
        rows={profile}
        // What was typed while the profile was on its way is kept.
        onFilled={(filled, asked) => onChange((now) => rebase<PlanObject>(asked, filled, now))}
      />
    );
  }
  if (section.special === "accounts" && trunk && sip) {
    return (
      <AccountsEditor
        sip={sip}
        profile={profile}
        onChange={(changed) => onChange(() => ({ ...trunk, link: { sip: changed } }))}
        at={at}
      />
    );
  }
  if (section.special === "targets" && trunk && sip) {
    return (
      <TargetsEditor
        sip={sip}
        profile={profile.find((r) => r.place === "link/sip/targets")}
        onChange={(changed) => onChange(() => ({ ...trunk, link: { sip: changed } }))}
        error={at("link/sip/targets")}
      />
    );
  }
  if (section.special === "contract" && trunk) {
    return <ContractEditor trunk={trunk} profile={profile} onChange={(next) => onChange(() => next)} />;
  }
  if (section.special === "choices" && "choices" in object) {
    return (
      <ChoicesEditor
        plan={plan}
        path={object}
        onChange={(choices) => onChange(() => ({ ...object, choices }))}
        error={at("choices")}
      />
    );
  }
  if (section.special === "week" && "week" in object) {
    return <WeekEditor hours={object} onChange={(next) => onChange(() => next)} at={at} />;
  }
  if (section.special === "dates" && "week" in object) {
    return <DatesEditor hours={object} plan={plan} onChange={(next) => onChange(() => next)} at={at} />;
  }
  if (section.special === "month" && "week" in object) {
    return <MonthPreview hours={object} plan={plan} />;
  }
  return null;
}
