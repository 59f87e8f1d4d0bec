"""The rule book and the rule desk: which sets and orders there are, side by side, drafted, published, retired."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, Body, Path, Query, Response

from lowhiss import rulebook
from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.rules.schemas import (
    BookOut,
    BookProcedureOut,
    BookRulesOut,
    CardLineOut,
    CardOut,
    CellOut,
    CheckBody,
    CheckedOut,
    CompareOut,
    ConventionOut,
    DraftBody,
    DropBody,
    EditionOut,
    GroupLineOut,
    InspectionLineOut,
    InspectionRulesOut,
    OrderBody,
    OrderOut,
    PublishBody,
    RowOut,
    SetColumnOut,
    TestedByBody,
    TestedByOut,
    ValueOut,
    ValuesOut,
    WeighBody,
    ordered_steps,
    row_fields,
)
from lowhiss.core.errors import RuleError
from lowhiss.core.fields import LANGUAGES, UUID_PATTERN
from lowhiss.core.rules import apply_bounds
from lowhiss.core.stages import STEP_TABLE, Step, is_limited
from lowhiss.core.vehicle import KIND_TABLE, Circuits, UnitKind
from lowhiss.core.words import Words
from lowhiss.service.people.rights import may
from lowhiss.service.rules import editor
from lowhiss.service.runs import comparison as units

router = APIRouter(prefix="/api", tags=["rules"], route_class=CarefulRoute)
Kind = Annotated[Literal["rules", "procedure"], Path()]
NamePath = Annotated[str, Path(min_length=1, max_length=60)]


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)


@router.get("/rulebook", operation_id="getRulebook")
def get_rulebook(store: StoreDep) -> BookOut:
    """Every rule set and procedure in force, the default first, and by what units of each kind are tested."""
    book = units.book(store)
    return BookOut(
        rules=[
            BookRulesOut(
                id=rules.id,
                title=dict(rules.title),
                about=dict(rules.about),
                default_procedure={
                    kind: rulebook.default_procedure_ids(rules)[row.group] for kind, row in KIND_TABLE.items()
                },
                own=not units.is_built_in(rules),
                parent=rules.parent,
            )
            for rules in book.rules
        ],
        procedures=[BookProcedureOut.of(one, own=not units.is_built_in(one)) for one in book.procedures],
        tested_by={kind: TestedByOut(rules=one.rules, procedure=one.procedure) for kind, one in book.tested_by.items()},
    )


@router.put("/rulebook/tested-by", operation_id="setTestedBy")
def set_tested_by(body: TestedByBody, store: StoreDep, by: PersonDep) -> BookOut:
    """By what units of each kind are tested that have no rules of their own."""
    units.set_defaults(store, by, body.to_service())
    return get_rulebook(store)


@router.get("/rules", operation_id="listEditions")
def list_editions(store: StoreDep, by: PersonDep) -> list[EditionOut]:
    """Every version of what is the fleet's own, the latest first; drafts only for those who write them."""
    drafts = may(by.role, "saveDraft")
    return [EditionOut.of(one) for one in editor.editions(store, _now()) if drafts or one.state != "draft"]


@router.get("/rules/compare", operation_id="compareRules")
def compare_rules(
    store: StoreDep,
    words: WordsDep,
    sets: Annotated[list[str] | None, Query(max_length=20)] = None,
    kind: UnitKind = "tractor_semitrailer",
    circuits: Circuits = "dual",
    unit_id: Annotated[str | None, Query(pattern=UUID_PATTERN)] = None,
) -> CompareOut:
    """Rule sets side by side for a kind of unit, or one unit; ``sets`` are names, or ``name@version``."""
    found = units.compare(store, sets or [], kind, circuits, unit_id, words)
    plain = [{one["key"]: one for one in rules.as_dict()["limit"]} for rules, _ in found.sets]
    known = rulebook.plausible().bounds
    return CompareOut(
        columns=[
            SetColumnOut(
                ref=rules.id if edition is None else f"{rules.id}@{edition.version}",
                id=rules.id,
                title=rules.title[words.language],
                about=rules.about.get(words.language, ""),
                parent=rules.parent,
                version=None if edition is None else edition.version,
                state="built_in" if edition is None else edition.state,  # type: ignore[arg-type]
            )
            for rules, edition in found.sets
        ],
        rows=[
            RowOut(
                **row_fields(row),
                least=known[row.stage][0],
                most=known[row.stage][1],
                cells=[
                    CellOut.of(cell, keyed[cell.limit.key] if cell.limit else None, words)
                    for cell, keyed in zip(row.cells, plain, strict=True)
                ],
            )
            for row in found.rows
        ],
        conventions=[ConventionOut.of(one) for one in found.conventions],
    )


@router.get("/rules/inspection", operation_id="getInspectionRules")
def get_inspection_rules(
    store: StoreDep, words: WordsDep, ref: Annotated[str, Query(max_length=80)]
) -> InspectionRulesOut:
    """What a set holds of an inspection: every number, and what a defect of each group of parts means."""
    lines, groups = units.inspection_rules(store, ref, words)
    return InspectionRulesOut(
        limits=[InspectionLineOut.model_validate(one, from_attributes=True) for one in lines],
        groups=[GroupLineOut.model_validate(one, from_attributes=True) for one in groups],
    )


@router.post("/rules/check", operation_id="checkRules")
def check_rules(body: CheckBody, store: StoreDep, words: WordsDep) -> CheckedOut:
    """What is being written, read: the sentences it makes, what is looser than the law, or why it cannot be kept."""
    try:
        with store.transaction() as session:
            return CheckedOut.of(editor.check(session, body.table, _now()), words)
    except RuleError as error:
        return CheckedOut(problem=f"{error}.", field=error.field, said={}, looser=[])


@router.put("/rules/draft", operation_id="saveDraft")
def save_draft(body: DraftBody, store: StoreDep, by: PersonDep) -> EditionOut:
    """Keep a draft of a rule set or an order of work."""
    return EditionOut.of(editor.save_draft(store, by, body.table, body.revision, _now()))


@router.post("/rules/import", operation_id="importRules")
def import_rules(store: StoreDep, by: PersonDep, data: Annotated[bytes, Body(media_type="text/plain")]) -> EditionOut:
    """A rule file as a draft: the same file that the command line takes."""
    return EditionOut.of(editor.import_file(store, by, data, _now()))


@router.post("/rules/{kind}/{name}/publish", operation_id="publishRules")
def publish_rules(kind: Kind, name: NamePath, body: PublishBody, store: StoreDep, by: PersonDep) -> EditionOut:
    """Publish a draft: from then on it is never changed."""
    return EditionOut.of(editor.publish(store, by, kind, name, body.revision, body.effective_from, _now()))


@router.post("/rules/{kind}/{name}/drop", operation_id="dropDraft", status_code=204)
def drop_draft(kind: Kind, name: NamePath, body: DropBody, store: StoreDep, by: PersonDep) -> None:
    """Drop a draft that was never published."""
    editor.drop_draft(store, by, kind, name, body.revision)


@router.post("/rules/{kind}/{name}/retire", operation_id="retireRules", status_code=204)
def retire_rules(kind: Kind, name: NamePath, store: StoreDep, by: PersonDep) -> None:
    """Take a set or order out of use; tests that run by it go on."""
    editor.retire(store, by, kind, name, _now())


@router.get("/rules/{kind}/{name}/file", operation_id="getRuleFile", response_class=Response)
def get_rule_file(
    kind: Kind, name: NamePath, store: StoreDep, version: Annotated[int | None, Query(ge=1, lt=100_000)] = None
) -> Response:
    """A rule set or order as the TOML file that the command line takes."""
    text = editor.file_of(store, kind, name, version, _now())
    # the name holds letters, digits, dots, dashes and underscores alone, or there would be no such thing
    ascii_name = name.encode("ascii", "replace").decode().replace("?", "_")
    headers = {"Content-Disposition": f'attachment; filename="{ascii_name}.toml"'}
    return Response(text, media_type="application/toml", headers=headers)


@router.post("/rules/weigh", operation_id="weighLimit")
def weigh_limit(body: WeighBody, store: StoreDep) -> ValuesOut:
    """What the latest runs of units of a kind measured in a stage, under a limit that is being moved."""
    found = units.measured_in(store, body.stage, body.kind, body.was, body.now)
    return ValuesOut(
        values=[ValueOut.model_validate(one, from_attributes=True) for one in found.values],
        runs=found.runs,
        pass_no_longer=sum(one.runs for one in found.values if one.was and one.now is False),
        fail_no_longer=sum(one.runs for one in found.values if one.was is False and one.now),
    )


@router.post("/orders/plan", operation_id="planOrder")
def plan_order(body: OrderBody, store: StoreDep, words: WordsDep) -> OrderOut:
    """What an order of work takes as it is being built, or why it cannot be done."""
    found, _, rules, unit = units.plan_order(store, body.table, body.rules, body.kind, body.unit_id)

    def limit_of(step: Step) -> str:
        limit = rules.limit_for(step, unit) if is_limited(step) else None
        return "" if limit is None else words.short_limit(limit, apply_bounds(limit, unit))

    refusal = found.refusal
    return OrderOut(
        steps=ordered_steps(found, limit_of, lambda step: words.step(step, unit)),
        seconds=round(found.seconds),
        refills=found.refills,
        engine_starts=found.engine_starts,
        begins_full=found.begins_full,
        unjudged=list(found.unjudged),
        unlimited=list(found.unlimited),
        place=refusal.place if refusal else None,
        problem=words.order_refusal(refusal.step, refusal.first, hangs=refusal.hangs) if refusal else "",
    )


@router.get("/units/{unit_id}/card", operation_id="getCard")
def get_card(unit_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep, words: WordsDep) -> CardOut:
    """One unit's order of work with its limits and words, to be printed for the cab in either language or both."""
    card = units.card(store, unit_id)
    readers = {language: Words(language, words.unit) for language in LANGUAGES}
    return CardOut(
        unit=" + ".join((card.unit.name, *card.unit.trailers)),
        kind=card.unit.kind,
        rules=dict(card.rules.title),
        procedure=dict(card.procedure.title),
        holding={language: reader.book.HOLDINGS[card.holding] for language, reader in readers.items()},
        lines=[
            CardLineOut(
                stage=line.stage,
                title=dict(STEP_TABLE[line.stage].short),
                does={language: reader.step(line.stage, card.unit) for language, reader in readers.items()},
                limit=words.short_limit(line.limit, apply_bounds(line.limit, card.unit)) if line.limit else "",
                said={
                    language: reader.limit_text(line.limit, card.unit) if line.limit else ""
                    for language, reader in readers.items()
                },
                source=words.source(line.limit.source) if line.limit else "",
            )
            for line in card.lines
        ],
        caution={language: str(reader.book.SHEET["caution"]) for language, reader in readers.items()},
    )
