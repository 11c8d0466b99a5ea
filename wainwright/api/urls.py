"""The addresses that the document of the API describes."""

from django.urls import path

from wainwright.api import endpoints

urlpatterns = [
    path("api/v1/claims/cleared/", endpoints.Cleared.as_view()),
    path("api/v1/claims/<str:number>/posted/", endpoints.Posted.as_view()),
    path("api/v1/claims/<str:number>/refused/", endpoints.RefusedBy.as_view()),
]
