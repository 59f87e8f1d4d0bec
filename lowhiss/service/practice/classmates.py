"""Whose practices and progress a trainer may see: of those who agreed to be in a class of theirs."""

from __future__ import annotations

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from lowhiss.service.people.signin import Person
from lowhiss.store.learning_models import ClassMemberRow, LearningClassRow


def trainees_of(by: Person) -> Select[str]:
    """The ids of everybody who agreed to be in a class of this trainer's."""
    of = select(ClassMemberRow.person_id).join(LearningClassRow, LearningClassRow.id == ClassMemberRow.class_id)
    return of.where(LearningClassRow.trainer_id == by.id, ClassMemberRow.agreed_at.is_not(None))


def may_see(session: Session, by: Person, person_id: str) -> bool:
    """Whether somebody's learning is theirs to see: their own, of a trainee of theirs, or anybody's for a manager."""
    if by.id == person_id or by.role == "manager":
        return True
    if by.role != "trainer":
        return False
    return session.scalar(trainees_of(by).where(ClassMemberRow.person_id == person_id)) is not None
