"""JSON that a person or another program may have written: whatever is wrong with it is one refusal, in words."""

from __future__ import annotations

import binascii
import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from velkin.core.errors import VelkinError

#: All that reading JSON and making numbers, texts and arrays of its values can raise.
_ODD = (ValueError, TypeError, AttributeError, IndexError, ArithmeticError, binascii.Error)


@contextmanager
def refused_as(refuse: Callable[[str], VelkinError]) -> Iterator[None]:
    """Inside, what cannot be meant comes as the error that `refuse` makes of the words for it: "is no JSON (…)", "lacks 'patches'"."""
    try:
        yield
    except VelkinError:
        raise
    except json.JSONDecodeError as error:
        raise refuse(f"is no JSON ({error})") from error
    except KeyError as error:
        raise refuse(f"lacks {error}") from error
    except RecursionError as error:
        raise refuse("nests too deeply") from error
    except _ODD as error:
        raise refuse(f"is not as it should be ({type(error).__name__}: {error})") from error
