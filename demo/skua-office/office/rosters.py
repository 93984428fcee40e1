from marram import render, route, watch_now
from petrel_admin import table
from quay_forms import form, number
from skiff_tasks import task

crews = [("Fulmar", "Ailsa", 3), ("Gannet", "Bride", 5)]

sign_on = form(ferry=str, hands=number(most=6))


@route("/rosters")
def rosters():
    return f"watch of {watch_now():%Y}\n" + table(crews)


@task
def hands():
    return sum(n for _, _, n in crews)
