using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Weiche.Web.Pages;

/// <summary>What is posted to a page that has no handler for it is not found. Else the page would be shown as if it had been done.</summary>
internal sealed class UnansweredPosts : IPageFilter
{
    public void OnPageHandlerSelected(PageHandlerSelectedContext context)
    {
    }

    public void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        if (context.HandlerMethod is null && HttpMethods.IsPost(context.HttpContext.Request.Method)) context.Result = new NotFoundResult();
    }

    public void OnPageHandlerExecuted(PageHandlerExecutedContext context)
    {
    }
}
