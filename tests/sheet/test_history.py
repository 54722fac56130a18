from belltone.sheet.document import Sheet
from belltone.sheet.history import History


def test_undo_and_redo_walk_the_same_sheets(rail: Sheet) -> None:
    second = rail.with_value(("title",), "two")
    third = rail.with_value(("title",), "three")
    history = History(rail).record("to two", second).record("to three", third)
    assert history.undo_label == "to three"
    back = history.undo().undo()
    assert back.present is rail
    assert back.undo() is back
    assert back.redo_label == "to two"
    assert back.redo().redo() == history
    assert history.redo() is history


def test_a_new_edit_forgets_what_was_undone(rail: Sheet) -> None:
    second = rail.with_value(("title",), "two")
    history = History(rail).record("to two", second).undo().record("to two again", second)
    assert history.redo_label is None


def test_an_edit_that_changes_nothing_is_no_step(rail: Sheet) -> None:
    history = History(rail).record("to one", rail.with_value(("title",), "one"))
    assert history.record("nothing", history.present) is history
