"""Addresses of people."""

from django.urls import path

from desk.people import lock, views

app_name = "people"
urlpatterns = [
    path("sign-in/", views.sign_in, name="sign_in"),
    path("sign-in/as/<slug:username>/", views.sign_in_as, name="sign_in_as"),
    path("sign-out/", views.sign_out, name="sign_out"),
    path("preferences/", views.preferences, name="preferences"),
    path("unlock/", lock.unlock, name="unlock"),
    path("own/", views.own, name="own"),
    path("people/", views.people, name="people"),
    path("people/<int:pk>/", views.change, name="change"),
]
